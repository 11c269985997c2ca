package setting

import (
	"errors"
	"regexp"
)

// A secret never stands in a setting itself. What stands there is a reference, made by who keeps secrets: the same secret has
// the same reference, and nobody can tell the one from the other. So drafts, differences, files and histories can be shown.

// Secret is the type of values that are references to secrets.
const Secret Type = "secret"

var reference = regexp.MustCompile(`^secret:[0-9a-f]{24}$`)

// ErrSecret tells that a secret was given where a reference to one belongs.
var ErrSecret = errors.New("a secret cannot stand there itself: give it where settings are typed, and it is sealed")

// IsReference tells whether a value refers to a secret.
func IsReference(value string) bool { return reference.MatchString(value) }

// SecretValue is the form of a reference to a secret, where something else than a setting takes one.
func SecretValue() Value { return secret(false) }

// secret is a reference to a secret, or "" for none. hashed ones are kept as a hash (crypt, SHA-512) from the begin.
func secret(hashed bool) Value {
	return Value{Type: Secret, Hashed: hashed, Form: "a secret", normal: func(s string) (string, error) {
		if s != "" && !IsReference(s) {
			return "", ErrSecret // which is not quoted
		}
		return s, nil
	}}
}
