package people_test

import (
	"archive/zip"
	"io"
	"net/http"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// How the service itself fares is for who administers it, and what is known of it fits into one file without secrets.
func TestTheServiceItself(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	s, err := r.Client.Service(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "test", s.Version)
	assert.Equal(t, map[string]int{"connected": 5}, s.Devices)
	assert.Positive(t, s.KeptOctets)
	assert.Positive(t, s.MemoryOctets)
	assert.Equal(t, 1, s.Users)

	file := filepath.Join(t.TempDir(), "own.zip")
	rig.SignedIn(t, r).Good("support", "--to", file)
	z, err := zip.OpenReader(file)
	require.NoError(t, err)
	defer func() { _ = z.Close() }()
	found := map[string]string{}
	for _, f := range z.File {
		in, err := f.Open()
		require.NoError(t, err)
		content, err := io.ReadAll(in)
		require.NoError(t, err)
		found[strings.TrimPrefix(f.Name, "support-everypost/")] = string(content)
		for _, secret := range []string{rig.DevicePassword, r.Token, rig.Password} {
			assert.NotContains(t, string(content), secret, f.Name)
		}
	}
	assert.Contains(t, found["devices.json"], `"name": "th-sw-02"`)
	assert.Contains(t, found["figures.txt"], "everypost_devices{")
	assert.Contains(t, found["goroutines.txt"], "goroutine profile")
	assert.Contains(t, found["service.json"], `"platform"`)
	assert.Contains(t, found, "log.txt")
	assert.NotEmpty(t, r.Audited(t, "get-support"))

	_, err = r.As(t, "bram", "operator").Service(t.Context())
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "administer people")
	_, err = r.Confine(t, "esker", "administrator", "site = tern-haven").OwnSupport(t.Context())
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/people?tab=service"), browser.Shows("5 connected"), browser.Until(`document.querySelector("a[href='/api/v1/service/support']")`)))
}
