// Package image is the form of the files in which firmware comes: what it is, who signed it, and the software itself.
package image

import (
	"bufio"
	"bytes"
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"
)

// An image is a file of four parts:
//
//	everypost-image/1                 the form, a line
//	{"maker":"...", ...}              what it is: Header as JSON, a line
//	c2lnbmF0dXJl...                   a signature of that line (Ed25519, RFC 8032) in base64, a line
//	...                               the software itself: as many octets as the header says
//
// The header holds the SHA-256 of the software, so that the signature binds it too.
const (
	magic     = "everypost-image/1"
	maxHeader = 16 << 10
	// MaxSize is how large the software in an image may be.
	MaxSize = 4 << 30
)

// Header says what an image is.
type Header struct {
	Maker   string   `json:"maker"`
	Models  []string `json:"models"` // that may run it
	Version string   `json:"version"`
	Size    int64    `json:"size"`   // octets of the software
	SHA256  string   `json:"sha256"` // of the software, in hex
	Notes   string   `json:"notes,omitempty"`
	Key     string   `json:"key"` // whose signature it bears: the public key in base64
}

// ErrInvalid tells that a file is no image, or not a whole one.
var ErrInvalid = errors.New("that is no image of firmware")

func invalid(format string, args ...any) error {
	return fmt.Errorf("%w: %w", ErrInvalid, fmt.Errorf(format, args...))
}

var (
	versionForm = regexp.MustCompile(`^[0-9]+(\.[0-9]+){0,4}([-.][0-9A-Za-z]+){0,3}$`)
	wordForm    = regexp.MustCompile(`^[\pL\pN][\pL\pN ._-]{0,62}$`)
)

func (h Header) check() error {
	switch {
	case !wordForm.MatchString(h.Maker):
		return invalid("its maker %q is none", h.Maker)
	case len(h.Models) == 0 || len(h.Models) > 100:
		return invalid("it names %d models, not 1 to 100", len(h.Models))
	case slices.ContainsFunc(h.Models, func(m string) bool { return !wordForm.MatchString(m) }):
		return invalid("its models %q are none", h.Models)
	case len(h.Version) > 40 || !versionForm.MatchString(h.Version):
		return invalid("its version %q is none", h.Version)
	case h.Size < 1 || h.Size > MaxSize:
		return invalid("it says that its software has %d octets", h.Size)
	case len(h.SHA256) != 2*sha256.Size || strings.Trim(h.SHA256, "0123456789abcdef") != "":
		return invalid("its checksum is none")
	}
	return nil
}

// Signer is the fingerprint of the key that an image is signed with, as people compare it.
func (h Header) Signer() string {
	key, err := base64.StdEncoding.DecodeString(h.Key)
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(key)
	return "SHA256:" + base64.RawStdEncoding.EncodeToString(sum[:])
}

// Fits tells whether devices of a maker and model may run it.
func (h Header) Fits(maker, model string) bool {
	return strings.EqualFold(h.Maker, maker) && slices.ContainsFunc(h.Models, func(m string) bool { return strings.EqualFold(m, model) })
}

// Read reads an image and writes its software to w. The header that it returns is signed with the key that stands in it; whether that key is
// to be trusted is for others to say. What it wrote is the whole software only where it returns no error.
func Read(r io.Reader, w io.Writer) (Header, error) {
	in := bufio.NewReaderSize(r, maxHeader)
	line := func(what string) ([]byte, error) {
		b, err := in.ReadSlice('\n')
		if errors.Is(err, bufio.ErrBufferFull) {
			return nil, invalid("%s is too long", what)
		}
		if err != nil {
			return nil, readError(err, "it ends before "+what)
		}
		return bytes.TrimSuffix(bytes.Clone(b), []byte("\n")), nil
	}
	form, err := line("its form")
	if err != nil {
		return Header{}, err
	}
	if string(form) != magic {
		return Header{}, invalid("it does not begin with %q", magic)
	}
	said, err := line("what it is")
	if err != nil {
		return Header{}, err
	}
	signature, err := line("its signature")
	if err != nil {
		return Header{}, err
	}
	var h Header
	if err := json.Unmarshal(said, &h); err != nil {
		return Header{}, invalid("what it is cannot be read: %w", err)
	}
	if err := h.check(); err != nil {
		return Header{}, err
	}
	key, err1 := base64.StdEncoding.DecodeString(h.Key)
	sig, err2 := base64.StdEncoding.DecodeString(string(signature))
	if err1 != nil || err2 != nil || len(key) != ed25519.PublicKeySize || !ed25519.Verify(key, said, sig) {
		return Header{}, invalid("its signature is not of the key that it names")
	}
	sum := sha256.New()
	n, err := io.CopyN(io.MultiWriter(w, sum), in, h.Size)
	if err != nil {
		return Header{}, readError(err, fmt.Sprintf("it ends after %d of %d octets of its software", n, h.Size))
	}
	if hex.EncodeToString(sum.Sum(nil)) != h.SHA256 {
		return Header{}, invalid("its software is not what was signed: the checksum differs")
	}
	if _, err := in.ReadByte(); !errors.Is(err, io.EOF) {
		return Header{}, invalid("something follows after its software")
	}
	return h, nil
}

func readError(err error, what string) error {
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return invalid("%s", what)
	}
	return err
}

// Write writes an image of some software, signed by a key. Size, checksum and key of the header are filled in.
func Write(w io.Writer, h Header, software []byte, key ed25519.PrivateKey) error {
	sum := sha256.Sum256(software)
	h.Size, h.SHA256, h.Key = int64(len(software)), hex.EncodeToString(sum[:]), base64.StdEncoding.EncodeToString(key.Public().(ed25519.PublicKey))
	if err := h.check(); err != nil {
		return err
	}
	said, err := json.Marshal(h)
	if err != nil {
		return err
	}
	if _, err := fmt.Fprintf(w, "%s\n%s\n%s\n", magic, said, base64.StdEncoding.EncodeToString(ed25519.Sign(key, said))); err != nil {
		return err
	}
	_, err = w.Write(software)
	return err
}
