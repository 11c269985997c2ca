// Package secrets seals what must not stand in the database in the clear, with a key that lives in a file beside it.
package secrets

import (
	"crypto/cipher"
	"crypto/ed25519"
	"crypto/hkdf"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"os"

	"golang.org/x/crypto/chacha20poly1305"
)

// Sealer seals and opens secrets with XChaCha20-Poly1305. A sealed secret is bound to what it belongs to.
type Sealer struct {
	aead  cipher.AEAD
	login ed25519.PrivateKey
	// references is the key of which references to secrets are made.
	references []byte
}

// LoginKey is the key by which the service logs in to devices that it provisioned. It follows from the key in the file, and
// so is as secret and as lasting.
func (s *Sealer) LoginKey() ed25519.PrivateKey { return s.login }

// ErrSealed tells that a secret cannot be opened: it is damaged, belongs to something else, or the key is another one.
var ErrSealed = errors.New("the sealed secret cannot be opened with this key")

// ErrNoKey tells that the file with the key is not there.
var ErrNoKey = errors.New("the key of the secrets is missing")

// Open reads the key from a file. Where there is none it makes one, for the owner alone, unless something is sealed already: with
// another key that could never be opened.
func Open(file string, sealed bool) (*Sealer, error) {
	key, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		if sealed {
			return nil, fmt.Errorf("%w: %s is not there, and the database holds passwords of devices that are sealed with it. Put the file back from the backup of the data folder; "+
				"without it every device has to be given its password anew, which --new-secrets-key begins", ErrNoKey, file)
		}
		key = make([]byte, chacha20poly1305.KeySize)
		_, _ = rand.Read(key) // never fails
		err = create(file, key)
	}
	if err != nil {
		return nil, fmt.Errorf("key of the secrets: %w", err)
	}
	aead, err := chacha20poly1305.NewX(key)
	if err != nil {
		return nil, fmt.Errorf("key of the secrets in %s: %w", file, err)
	}
	seed, err := hkdf.Key(sha256.New, key, nil, "every post: login to devices", ed25519.SeedSize)
	if err != nil {
		return nil, fmt.Errorf("key of the secrets in %s: %w", file, err)
	}
	references, err := hkdf.Key(sha256.New, key, nil, "every post: references to secrets", sha256.Size)
	if err != nil {
		return nil, fmt.Errorf("key of the secrets in %s: %w", file, err)
	}
	return &Sealer{aead, ed25519.NewKeyFromSeed(seed), references}, nil
}

// create writes a new file and makes sure of it before anything is sealed with what it holds.
func create(file string, content []byte) error {
	f, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	_, err = f.Write(content)
	return errors.Join(err, f.Sync(), f.Close())
}

// Seal seals a secret that belongs to owner.
func (s *Sealer) Seal(owner, secret string) []byte {
	nonce := make([]byte, s.aead.NonceSize(), s.aead.NonceSize()+len(secret)+s.aead.Overhead())
	_, _ = rand.Read(nonce)
	return s.aead.Seal(nonce, nonce, []byte(secret), []byte(owner))
}

// Open opens a secret that was sealed for owner.
func (s *Sealer) Open(owner string, sealed []byte) (string, error) {
	n := s.aead.NonceSize()
	if len(sealed) < n {
		return "", ErrSealed
	}
	plain, err := s.aead.Open(nil, sealed[:n], sealed[n:], []byte(owner))
	if err != nil {
		return "", ErrSealed
	}
	return string(plain), nil
}
