package discover_test

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// A search can be a job: made by command line or console, done when it is due or by hand, kept with what it came to, and its password is never told.
func TestASearchIsAJob(t *testing.T) {
	t.Parallel()
	r := rig.StartCompany(t)
	c := rig.SignedIn(t, r)
	entry := r.World.Address("hh-core-01")
	out := c.Run(rig.DevicePassword+"\n", "discover", entry, "--user", rig.DeviceUser, "--hops", "0", "--every", "FREQ=DAILY;BYHOUR=3", "--title", "What is new")
	require.Equal(t, 0, out.Code, out.Err)
	assert.Contains(t, out.Err, "Job 1 is made. It is done every day at 03:00")
	assert.Contains(t, c.Good("jobs").Out, entry)
	assert.NotContains(t, c.Good("job", "1", "-o", "json").Out, rig.DevicePassword)
	found, err := r.Found(t.Context())
	require.NoError(t, err)
	assert.Empty(t, found.Items, "it is not due")

	begun := c.Good("job", "begin", "1")
	assert.Contains(t, begun.Out, "1 found, 0 known already, 0 silent, 0 refused")
	found, err = r.Found(t.Context())
	require.NoError(t, err)
	require.Len(t, found.Items, 1)
	assert.Equal(t, "hh-core-01", found.Items[0].Hostname)
	list, err := r.Discoveries(t.Context())
	require.NoError(t, err)
	require.Len(t, list.Items, 1, "and it is a search like others")
	assert.Equal(t, "ada", list.Items[0].By)

	for says, args := range map[string]map[string]string{
		"give an address": {"user": "fleet", "password": "word-of-eight"},
		"user name":       {"targets": entry, "password": "word-of-eight"},
		"the password":    {"targets": entry, "user": "fleet"},
		"hops":            {"targets": entry, "user": "fleet", "password": "word-of-eight", "hops": "33"},
	} {
		_, err := r.MakeJob(t.Context(), v1.JobRequest{Kind: "search", Args: args})
		assert.ErrorContains(t, err, says)
	}
	_, err = r.MakeJob(t.Context(), v1.JobRequest{Kind: "search", Where: "kind = switch", Args: map[string]string{"targets": entry, "user": "fleet", "password": "word-of-eight"}})
	require.ErrorContains(t, err, "picks no devices")
	_, err = r.As(t, "tara", "technician").MakeJob(t.Context(), v1.JobRequest{Kind: "search", Args: map[string]string{"targets": entry, "user": "fleet", "password": "word-of-eight"}})
	require.ErrorContains(t, err, "right")

	b := rig.NewBrowser(t)
	require.NoError(t, b.Run(
		browser.SignIn(r.Base, "ada", rig.Password), browser.Shows("What happened"),
		chromedp.Navigate(r.Base+"/jobs"), browser.Press("New job"), browser.Choose("It does", "search"), browser.TypeInto("Addresses", entry), browser.TypeInto("User", rig.DeviceUser),
		browser.TypeInto("Password", rig.DevicePassword), browser.TypeInto("Hops", "1"), browser.Press("Begin"),
		browser.Shows("Look at what was found"), browser.Shows("known already"),
	))
	assert.Empty(t, b.Complaints)
}

// A search by a job that is cut off by the end of the service goes on in its next life.
func TestASearchThatWasCutOffGoesOn(t *testing.T) {
	t.Parallel()
	r := rig.StartCompany(t)
	j, err := r.MakeJob(t.Context(), v1.JobRequest{Kind: "search", Args: map[string]string{"targets": r.World.Address("hh-core-01"), "user": rig.DeviceUser, "password": rig.DevicePassword, "hops": "16"}})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		run, err := r.JobRun(t.Context(), j.Last.Number)
		return err == nil && len(run.Steps) == 1 && run.Steps[0].Doing != ""
	}, rig.WaitLong, rig.WaitStep)
	r.Restart(t)
	require.Eventually(t, func() bool {
		run, err := r.JobRun(t.Context(), j.Last.Number)
		return err == nil && run.State == "done"
	}, rig.WaitLong, rig.WaitStep)
	found, err := r.Found(t.Context())
	require.NoError(t, err)
	assert.Len(t, found.Items, len(r.World.Serials()))
}
