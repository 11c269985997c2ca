package upkeep_test

import (
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// Many devices get passwords of their own: the old one is refused from then on, the service comes in again after it was started anew, and what it
// changed is no drift. A device that does not answer keeps its own, and is done again.
func TestPasswordsOfManyDevicesAreChanged(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	require.NoError(t, r.World.Throw(standin.Hang, "th-ap-01"))
	j, err := r.MakeJob(t.Context(), v1.JobRequest{Kind: "passwords", Args: map[string]string{"stop-after": "5"}})
	require.NoError(t, err)
	run := ended(t, r.Client, j.Last.Number)
	notes := map[string]string{}
	for _, step := range run.Steps {
		notes[step.Device] = step.State + ": " + step.Note
	}
	assert.Equal(t, "done: the new password was proved, the old one is gone", notes["th-sw-02"])
	assert.Contains(t, notes["th-ap-01"], "failed: ")
	require.NoError(t, r.World.Throw(standin.Recover, "th-ap-01"))
	r.Connected(t, "th-ap-01")
	again, err := r.ActOnJobRun(t.Context(), run.Number, "retry")
	require.NoError(t, err)
	assert.Equal(t, "done", ended(t, r.Client, again.Number).State)
	for device := range notes {
		rig.Problem(t, r.SetDeviceLogin(t.Context(), device, v1.DeviceLogin{Password: rig.DevicePassword}), http.StatusUnprocessableEntity, v1.ProblemLogin, "does not accept")
	}
	r.Restart(t)
	for device := range notes {
		r.Connected(t, device)
	}
	drift, err := r.Drift(t.Context())
	require.NoError(t, err)
	assert.Empty(t, drift.Items)
	log, err := r.Log(t.Context(), "", 100)
	require.NoError(t, err)
	n := 0
	for _, e := range log.Items {
		if strings.Contains(e.Text, "with another password, by ada.") {
			n++
		}
	}
	assert.Equal(t, len(notes), n)
}

// One password for all is typed once and never told; what is changed on a device by hand is said, and tried before it is kept.
func TestAPasswordIsTypedAndNeverTold(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	const typed = "moonlit-breakwater"
	c := rig.SignedIn(t, r)
	which := []string{"name", "in", "(th-sw-01,th-sw-02)"}
	assert.Regexp(t, `th-sw-02 +fleet +a password of its own, made up`, c.Good(append([]string{"change-passwords", "--plan"}, which...)...).Out)
	got := c.Run(typed+"\n3\n", append([]string{"change-passwords", "--same"}, which...)...)
	assert.NotZero(t, got.Code, "it is not the number of devices")
	got = c.Run(typed+"\n2\n", append([]string{"change-passwords", "--same"}, which...)...)
	require.Zero(t, got.Code, got.Err)
	assert.Contains(t, got.Out, "the new password was proved")
	assert.NotContains(t, got.Out+got.Err, typed)
	got = c.Run("short\n2\n", append([]string{"change-passwords", "--same"}, which...)...)
	assert.Contains(t, got.Err, "at least 8 characters")
	assert.Equal(t, 2, c.Run("", "device", "password").Code)
	assert.Contains(t, c.Run("wrong\n", "device", "password", "th-sw-02").Err, "does not accept")
	assert.Contains(t, c.Run(typed+"\n", "device", "password", "th-sw-02").Err, "let the service in by it")
	rig.Problem(t, r.SetDeviceLogin(t.Context(), "th-sw-02", v1.DeviceLogin{Password: "wrong"}), http.StatusUnprocessableEntity, v1.ProblemLogin, "does not accept")
	require.NoError(t, r.SetDeviceLogin(t.Context(), "th-sw-02", v1.DeviceLogin{Password: typed}))
	rig.Problem(t, r.SetDeviceLogin(t.Context(), "nothing", v1.DeviceLogin{Password: typed}), http.StatusNotFound, v1.ProblemNotFound, "nothing")
	assert.NotContains(t, strings.Join(r.Audited(t, ""), "\n"), typed)
	jobs, err := r.Jobs(t.Context())
	require.NoError(t, err)
	assert.NotContains(t, jobs.Items[0].Args["password"], typed)
	files, err := filepath.Glob(filepath.Join(r.Dir, "*.db*"))
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, f := range files {
		content, err := os.ReadFile(f)
		require.NoError(t, err)
		assert.NotContains(t, string(content), typed, f)
	}
}

// Somebody changes the password of the service itself by a draft, against the warning: once the session is over the device lets it in no more, until
// the password is said. From then on the service changes it itself.
func TestAPasswordIsSaidInTheConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	const typed = "moonlit-breakwater"
	r.PushAndKeep(t, r.Draft(t, [3]string{"th-sw-02:user/fleet", "present", "on"}, [3]string{"th-sw-02:user/fleet", "role", "administrator"}, [3]string{"th-sw-02:user/fleet", "password", typed}))
	r.Restart(t)
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02"), browser.Press("Say its password"),
		browser.TypeInto("Password", "no-such-lamp"), browser.Press("Try it and keep it"), browser.Shows("does not accept"),
		browser.Replace("[role=dialog] input[type=password]", typed), browser.Press("Try it and keep it"), browser.Shows("it is kept"),
		browser.Until(`!document.body.innerText.includes("This is the last that is known")`),
		chromedp.Navigate(r.Base+"/jobs"), browser.Press("New job"), browser.Choose("It does", "passwords"), browser.TypeInto("On", "name = th-sw-02"), browser.Press("Title"),
		browser.Shows("a password of its own"), browser.Press("Change passwords: 1 device"), browser.Shows("the old one is gone"),
	))
	rig.Problem(t, r.SetDeviceLogin(t.Context(), "th-sw-02", v1.DeviceLogin{Password: typed}), http.StatusUnprocessableEntity, v1.ProblemLogin, "does not accept")
	assert.Empty(t, b.Complaints)
}
