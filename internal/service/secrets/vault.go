package secrets

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"sync"
	"unicode"
	"unicode/utf8"

	"github.com/GehirnInc/crypt/sha512_crypt"

	"example.net/everypost/internal/core/setting"
)

// Vault keeps the secrets that stand in configurations of devices, sealed, under references that tell nothing of them. The
// same secret has the same reference for as long as the key of the service is the same.
type Vault struct {
	sealer *Sealer
	store  VaultStore

	mu   sync.Mutex
	kept map[string]bool // references that are known to be in the store
}

// VaultStore is what a vault needs of the store.
type VaultStore interface {
	PutSecret(ctx context.Context, reference string, sealed []byte) error
	Secret(ctx context.Context, reference string) ([]byte, error)
}

// NewVault returns a vault.
func NewVault(sealer *Sealer, store VaultStore) *Vault {
	return &Vault{sealer: sealer, store: store, kept: map[string]bool{}}
}

// MaxSecret bounds a secret, in characters.
const MaxSecret = 128

// Take keeps a secret that a person typed, and returns the reference to it. What is a reference already is taken as one if
// it is known. Hashed ones are hashed first (crypt, SHA-512), and then differ each time. Nothing of the secret is in an error.
func (v *Vault) Take(ctx context.Context, typed string, hashed bool) (string, error) {
	switch n := utf8.RuneCountInString(typed); {
	case typed == "":
		return "", nil
	case setting.IsReference(typed):
		if _, err := v.store.Secret(ctx, typed); err != nil {
			return "", errors.New("it refers to a secret that is not kept here: type the secret itself")
		}
		return typed, nil
	case n > MaxSecret:
		return "", fmt.Errorf("a secret has at most %d characters, this one has %d", MaxSecret, n)
	case n < 8:
		return "", errors.New("a secret has at least 8 characters")
	}
	for _, r := range typed {
		if unicode.IsControl(r) || r == utf8.RuneError {
			return "", errors.New("a secret cannot hold control characters")
		}
	}
	if hashed {
		hash, err := sha512_crypt.New().Generate([]byte(typed), nil)
		if err != nil {
			return "", errors.New("it could not be hashed")
		}
		typed = hash
	}
	return v.keep(ctx, typed)
}

// Hide implements driver.Secrets.
func (v *Vault) Hide(plain string) (string, error) {
	if plain == "" {
		return "", nil
	}
	return v.keep(context.Background(), plain)
}

func (v *Vault) keep(ctx context.Context, plain string) (string, error) {
	mac := hmac.New(sha256.New, v.sealer.references)
	mac.Write([]byte(plain))
	reference := "secret:" + hex.EncodeToString(mac.Sum(nil)[:12])
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.kept[reference] {
		return reference, nil
	}
	if err := v.store.PutSecret(ctx, reference, v.sealer.Seal(reference, plain)); err != nil {
		return "", fmt.Errorf("keep a secret: %w", err)
	}
	v.kept[reference] = true
	return reference, nil
}

// Reveal implements driver.Secrets.
func (v *Vault) Reveal(reference string) (string, error) {
	sealed, err := v.store.Secret(context.Background(), reference)
	if err != nil {
		return "", fmt.Errorf("the secret %s: %w", reference, err)
	}
	return v.sealer.Open(reference, sealed)
}
