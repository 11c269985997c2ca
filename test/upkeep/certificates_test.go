package upkeep_test

import (
	"bytes"
	"context"
	"crypto/x509"
	"encoding/pem"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/foreign"
	"example.net/everypost/internal/testing/rig"
)

// certificateOf waits until a device tells of its certificate.
func certificateOf(t *testing.T, r *rig.Rig, device string, is func(v1.DeviceCertificate) bool) (out v1.DeviceCertificate) {
	t.Helper()
	require.Eventually(t, func() bool {
		list, err := r.Certificates(t.Context(), "name = "+device)
		require.NoError(t, err)
		if len(list.Items) == 1 {
			out = list.Items[0]
		}
		return out.Device != "" && is(out)
	}, rig.WaitLong, rig.WaitStep, "%+v", out)
	return out
}

func any1(v1.DeviceCertificate) bool { return true }

// A certificate that ends in a week is an alarm; it is renewed by a job, with a key that the device made; then it is over.
func TestCertificatesAreRenewed(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "kb-edge-01", "kelp-bay")
	r.AwaitAll(t)
	old := certificateOf(t, r, "kb-fw-01", any1)
	assert.Equal(t, [4]any{"ending", false, "web", old.Subject}, [4]any{old.Standing, old.House, old.Name, old.Issuer})
	alarmed := func() (out []string) {
		list, err := r.Alarms(t.Context(), client.AlarmQuery{})
		require.NoError(t, err)
		for _, a := range list.Items {
			if strings.HasPrefix(a.Type, "certificate") {
				out = append(out, a.Type+" "+a.Severity+" "+a.Resource)
			}
		}
		return out
	}
	require.Eventually(t, func() bool { return assert.ObjectsAreEqual([]string{"certificate-ending warning kb-fw-01"}, alarmed()) }, rig.WaitLong, rig.WaitStep)

	c := rig.SignedIn(t, r)
	assert.Regexp(t, `kb-fw-01 +web +\d+ \w+ \d+ +ending +itself`, c.Good("certificates").Out)
	assert.Regexp(t, `kb-fw-01 +web until \S+ +until \S+`, c.Good("renew-certificates", "--plan").Out)
	assert.Contains(t, c.Run("", "renew-certificates", "--plan", "name = kb-sw-01").Err, "ends within 30 days")
	assert.Contains(t, c.Good("renew-certificates", "--yes", "--good-for", "90").Out, "web is good until")
	now := certificateOf(t, r, "kb-fw-01", func(c v1.DeviceCertificate) bool { return c.House })
	assert.Equal(t, "good", now.Standing)
	assert.Contains(t, now.Names, "kb-fw-01")
	assert.NotEqual(t, old.Serial, now.Serial)
	require.Eventually(t, func() bool { return len(alarmed()) == 0 }, rig.WaitLong, rig.WaitStep)
	a := c.Good("authority")
	block, _ := pem.Decode([]byte(a.Out))
	require.NotNil(t, block)
	root, err := x509.ParseCertificate(block.Bytes)
	require.NoError(t, err)
	assert.True(t, root.IsCA)
	assert.Contains(t, a.Err, "it has signed 1")
	assert.NotContains(t, a.Out+a.Err, "PRIVATE")

	r.Restart(t)
	again, err := r.Authority(t.Context())
	require.NoError(t, err)
	assert.Equal(t, a.Out, again.Certificate, "it is the same after a restart")
	assert.Contains(t, strings.Join(r.Audited(t, ""), "\n"), "make-job")
}

// Who may not operate devices renews nothing, who sees some sees theirs, and a device that goes away in the middle keeps what it had.
func TestWhoMayRenewCertificates(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "kb-edge-01", "kelp-bay")
	r.AwaitAll(t)
	old := certificateOf(t, r, "kb-fw-01", any1)
	viewer, near := r.As(t, "vera", "viewer"), r.Confine(t, "bram", "administrator", "name = kb-sw-01")
	in := v1.JobRequest{Kind: "renew"}
	_, err := viewer.MakeJob(t.Context(), in)
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "operate")
	list, err := near.Certificates(t.Context(), "")
	require.NoError(t, err)
	for _, c := range list.Items {
		assert.Equal(t, "kb-sw-01", c.Device)
	}
	_, err = near.MakeJob(t.Context(), in)
	require.ErrorContains(t, err, "ends within 30 days", "the one that does is not his")
	for says, bad := range map[string]map[string]string{"within": {"within": "0"}, "valid-for": {"valid-for": "100000"}, "takes no": {"names": "everything"}} {
		_, err := r.MakeJob(t.Context(), v1.JobRequest{Kind: "renew", Args: bad})
		require.ErrorContains(t, err, says)
	}
	require.NoError(t, r.World.Throw(standin.PowerLoss, "kb-fw-01"))
	j, err := r.MakeJob(t.Context(), v1.JobRequest{Kind: "renew", Args: map[string]string{"within": "20"}})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		run, err := r.JobRun(t.Context(), j.Last.Number)
		return err == nil && run.State == "failed"
	}, rig.WaitLong, rig.WaitStep)
	require.NoError(t, r.World.Throw(standin.Recover, "kb-fw-01"))
	assert.Equal(t, old.Serial, certificateOf(t, r, "kb-fw-01", any1).Serial)
}

// Another authority signs: of the key that the device made, or of one that is brought with it. What does not match is used by nobody.
func TestCertificatesOfAnotherAuthority(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "kb-edge-01", "kelp-bay")
	r.AwaitAll(t)
	old := certificateOf(t, r, "kb-fw-01", any1)
	other, c, dir := foreign.New(t, time.Now()), rig.SignedIn(t, r), t.TempDir()
	file := func(name string, parts ...[]byte) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, bytes.Join(parts, nil), 0o600))
		return path
	}
	until := time.Now().AddDate(0, 3, 0)
	made := c.Good("certificate", "request", "kb-fw-01")
	signed := file("signed.pem", other.SignRequest(t, []byte(made.Out), until), other.PEM())
	assert.Equal(t, old.Serial, certificateOf(t, r, "kb-fw-01", any1).Serial, "what it uses stays in use")
	refused := c.Run("kb-sw-01\n", "certificate", "import", "kb-fw-01", signed)
	assert.NotZero(t, refused.Code)
	assert.Contains(t, refused.Err, "signed by CN=Isles Trust, good for kb-fw-01")
	assert.Contains(t, refused.Err, "nothing was done")
	assert.Contains(t, c.Run("kb-fw-01\n", "certificate", "import", "kb-fw-01", signed).Err, "kb-fw-01 uses it, until")
	now := certificateOf(t, r, "kb-fw-01", func(c v1.DeviceCertificate) bool { return c.Issuer == "CN=Isles Trust" })
	assert.Equal(t, "good", now.Standing)

	// Of a key that is brought; then of another's, by which nothing changes; and without it, which the device refuses.
	key := foreign.NewKey(t)
	brought, of := file("brought.pem", other.Sign(t, &key.PublicKey, until, "kb-fw-01")), file("brought.key", foreign.KeyPEM(t, key))
	wrong := c.Run("", "certificate", "import", "kb-fw-01", brought, "--key", file("wrong.key", foreign.KeyPEM(t, foreign.NewKey(t))), "--yes")
	assert.NotZero(t, wrong.Code)
	assert.Contains(t, wrong.Err, "it does not match its key")
	unasked := c.Run("", "certificate", "import", "kb-fw-01", brought, "--yes")
	assert.NotZero(t, unasked.Code)
	assert.Contains(t, unasked.Err, "does not match the key that was asked for last")
	nowhere := c.Run("", "certificate", "import", "kb-fw-01", brought, "--key", of, "--place", "attic", "--yes")
	assert.Contains(t, nowhere.Err, "there is no place for a certificate attic")
	assert.Equal(t, now.Serial, certificateOf(t, r, "kb-fw-01", any1).Serial)
	c.Good("certificate", "import", "kb-fw-01", brought, "--key", of, "--yes")
	last := certificateOf(t, r, "kb-fw-01", func(c v1.DeviceCertificate) bool { return c.Serial != now.Serial })
	require.NoError(t, r.World.Throw(standin.PowerLoss, "kb-fw-01"))
	gone := c.Run("", "certificate", "import", "kb-fw-01", signed, "--yes")
	assert.NotZero(t, gone.Code, "a device that is away takes none")
	require.NoError(t, r.World.Throw(standin.Recover, "kb-fw-01"))
	r.Restart(t)
	assert.Equal(t, last.Serial, certificateOf(t, r, "kb-fw-01", any1).Serial)

	in := v1.CertificateFiles{Chain: string(foreign.New(t, time.Now()).Sign(t, &key.PublicKey, until, "kb-fw-01")), Key: string(foreign.KeyPEM(t, key))}
	_, err := r.As(t, "vera", "viewer").ImportCertificate(t.Context(), "kb-fw-01", "web", in, true)
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "operate")
	near := r.Confine(t, "bram", "administrator", "name = kb-sw-01")
	_, err = near.ImportCertificate(t.Context(), "kb-fw-01", "web", in, false)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	_, err = near.RequestCertificate(t.Context(), "kb-fw-01", "web", nil)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	_, err = r.RequestCertificate(t.Context(), "kb-fw-01", "web", []string{"two words"})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "neither the name nor the address")
	audit := strings.Join(r.Audited(t, ""), "\n")
	assert.Contains(t, audit, "import-certificate")
	assert.Contains(t, audit, "request-certificate")
	assert.NotContains(t, audit, "PRIVATE")
}

func TestCertificatesAreImportedByConsole(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "kb-edge-01", "kelp-bay")
	r.AwaitAll(t)
	certificateOf(t, r, "kb-fw-01", any1)
	other, key := foreign.New(t, time.Now()), foreign.NewKey(t)
	b := rig.OpenConsole(t, r)
	replace := func(label string, text []byte) chromedp.Action {
		find := fmt.Sprintf(`[...document.querySelectorAll("[role=dialog] label")].find(l => l.innerText.trim() === %q)`, label)
		return chromedp.Tasks{browser.On(`document.getElementById(`+find+`?.htmlFor)`, "(e.focus(), e.select())"),
			chromedp.ActionFunc(func(ctx context.Context) error { return input.InsertText(string(text)).Do(ctx) })}
	}
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/certificates"), browser.Press("Import…"), browser.Shows("Import a certificate"), browser.Choose("Device, and", "kb-fw-01 web"),
		replace("Certificate", other.Sign(t, &key.PublicKey, time.Now().AddDate(0, 3, 0), "fw.example.net")), replace("Private key", foreign.KeyPEM(t, foreign.NewKey(t))),
		browser.Press("Look at it"), browser.Shows("it does not match its key"),
		replace("Private key", foreign.KeyPEM(t, key)),
		browser.Press("Look at it"), browser.Shows("and not for kb-fw-01: browsers would warn of it"),
		browser.Press("Use it on kb-fw-01"), rig.NoDialog, browser.Shows("CN=Isles Trust"),
	))
	assert.Empty(t, b.Complaints)
}

func TestCertificatesByConsole(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "kb-edge-01", "kelp-bay")
	r.AwaitAll(t)
	certificateOf(t, r, "kb-fw-01", any1)
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/certificates"), browser.Shows("1 ended, or ends within 14 days"), browser.Shows("The authority of the house"), browser.Press("Renew…"),
		browser.Shows("web until"), browser.Press("Renew certificates: 1 device"), browser.Shows("web is good until"),
		chromedp.Navigate(r.Base+"/certificates"), browser.Shows("none ends within 14 days"), browser.Shows("the authority of the house"),
	))
	assert.Empty(t, b.Complaints)
}
