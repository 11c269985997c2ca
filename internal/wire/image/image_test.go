package image_test

import (
	"bytes"
	"crypto/ed25519"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/wire/image"
)

var (
	key   = ed25519.NewKeyFromSeed(bytes.Repeat([]byte{7}, ed25519.SeedSize))
	other = ed25519.NewKeyFromSeed(bytes.Repeat([]byte{8}, ed25519.SeedSize))
	what  = image.Header{Maker: "Halyard", Models: []string{"H24P", "H48P"}, Version: "4.2.0", Notes: "Mends the fans."}
)

func written(t *testing.T, h image.Header, software string, k ed25519.PrivateKey) []byte {
	t.Helper()
	var out bytes.Buffer
	require.NoError(t, image.Write(&out, h, []byte(software), k))
	return out.Bytes()
}

func TestAnImageComesBackAsItWasWritten(t *testing.T) {
	t.Parallel()
	var software bytes.Buffer
	h, err := image.Read(bytes.NewReader(written(t, what, "the software", key)), &software)
	require.NoError(t, err)
	assert.Equal(t, "the software", software.String())
	assert.Equal(t, int64(12), h.Size)
	assert.Equal(t, "Mends the fans.", h.Notes)
	assert.Regexp(t, `^SHA256:[A-Za-z0-9+/]{43}$`, h.Signer())
	assert.True(t, h.Fits("halyard", "h48p"))
	assert.False(t, h.Fits("Halyard", "E50"))
	assert.False(t, h.Fits("Capstan", "H24P"))
	again, err := image.Read(bytes.NewReader(written(t, what, "the software", other)), io.Discard)
	require.NoError(t, err)
	assert.NotEqual(t, h.Signer(), again.Signer())
}

// Not one octet of an image can be another without it being told.
func TestWhatWasTouchedIsNoImage(t *testing.T) {
	t.Parallel()
	whole := written(t, what, "the software", key)
	for i := range whole {
		touched := bytes.Clone(whole)
		touched[i] ^= 1
		_, err := image.Read(bytes.NewReader(touched), io.Discard)
		require.ErrorIs(t, err, image.ErrInvalid, "octet %d", i)
		_, err = image.Read(bytes.NewReader(whole[:i]), io.Discard)
		require.ErrorIs(t, err, image.ErrInvalid, "cut after %d", i)
	}
	_, err := image.Read(bytes.NewReader(append(bytes.Clone(whole), 'x')), io.Discard)
	require.ErrorIs(t, err, image.ErrInvalid)
	lines := bytes.SplitN(whole, []byte("\n"), 4)
	foreign := bytes.SplitN(written(t, what, "the software", other), []byte("\n"), 4)
	lines[2] = foreign[2]
	_, err = image.Read(bytes.NewReader(bytes.Join(lines, []byte("\n"))), io.Discard)
	require.ErrorContains(t, err, "signature", "signed by another than it says")
}

func TestHeadersThatAreNone(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		change func(*image.Header)
		says   string
	}{
		"maker":       {func(h *image.Header) { h.Maker = "../../etc" }, "maker"},
		"no model":    {func(h *image.Header) { h.Models = nil }, "0 models"},
		"bad model":   {func(h *image.Header) { h.Models = []string{"a\nb"} }, "models"},
		"many models": {func(h *image.Header) { h.Models = make([]string, 101) }, "101 models"},
		"version":     {func(h *image.Header) { h.Version = "newest; reboot" }, "version"},
		"long":        {func(h *image.Header) { h.Version = "1." + strings.Repeat("2", 40) }, "version"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			h := what
			c.change(&h)
			err := image.Write(io.Discard, h, []byte("x"), key)
			require.ErrorIs(t, err, image.ErrInvalid)
			assert.ErrorContains(t, err, c.says)
		})
	}
	require.ErrorIs(t, image.Write(io.Discard, what, nil, key), image.ErrInvalid, "no software")
}

func FuzzRead(f *testing.F) {
	var whole bytes.Buffer
	require.NoError(f, image.Write(&whole, what, []byte("the software"), key))
	f.Add(whole.Bytes())
	f.Add([]byte("everypost-image/1\n{}\n\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		var out bytes.Buffer
		h, err := image.Read(bytes.NewReader(data), &out)
		if err == nil {
			assert.EqualValues(t, h.Size, out.Len())
		} else {
			require.ErrorIs(t, err, image.ErrInvalid)
		}
	})
}
