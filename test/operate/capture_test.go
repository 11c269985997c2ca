package operate_test

import (
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/peers"
	"example.net/everypost/internal/testing/rig"
)

// tshark reads a capture, and shows the given fields of each frame.
func tshark(t *testing.T, file string, fields ...string) (out [][]string) {
	t.Helper()
	args := []string{"-n", "-r", file, "-T", "fields"}
	for _, f := range fields {
		args = append(args, "-e", f)
	}
	b, err := exec.CommandContext(t.Context(), peers.Program(t, "tshark"), args...).Output()
	require.NoError(t, err, string(b))
	for line := range strings.Lines(string(b)) {
		out = append(out, strings.Split(strings.TrimRight(line, "\n"), "\t"))
	}
	return out
}

// What passes the two ends of a cable is captured at the same time, merged, and read by an independent program: frame by frame the same.
func TestCapturesOfTwoDevicesAreMerged(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	file := filepath.Join(t.TempDir(), "both.pcapng")
	out := c.Good("capture", "th-sw-01:1/1/49", "th-sw-02:1/1/17", "--for", "2", "--filter", "udp port 5004", "--to", file, "--limit", "1000")
	rows := tshark(t, file, "frame.number", "frame.interface_name", "ip.src", "udp.dstport", "udp.srcport", "vlan.id", "frame.time_epoch")
	require.NotEmpty(t, rows)
	seen := map[string]int{}
	before := 0.0
	for _, row := range rows {
		seen[row[1]]++
		assert.Contains(t, []string{row[3], row[4]}, "5004")
		if row[1] == "th-sw-01:1/1/49" {
			assert.Equal(t, "50", row[5], "on the cable between switches frames are tagged")
		}
		at, err := strconv.ParseFloat(row[6], 64)
		require.NoError(t, err)
		assert.GreaterOrEqual(t, at, before, "in the order of time")
		before = at
	}
	assert.Len(t, seen, 2, "both devices: %v", seen)
	assert.Equal(t, len(rows), strings.Count(out.Out, "UDP"), "the table shows what the file holds")

	frames, err := r.Frames(t.Context(), client.FramesQuery{Of: []int64{1, 2}, Limit: 5})
	require.NoError(t, err)
	assert.Equal(t, len(rows), frames.Total)
	require.Len(t, frames.Items, 5)
	assert.Equal(t, rows[0][2], frames.Items[0].From)
	assert.Contains(t, c.Good("frames", "1", "--find", "10.1.50.10", "--limit", "2").Err, "--limit shows more")
	assert.Equal(t, 1, c.Run("", "capture", "th-sw-02:1/1/17", "--for", "1", "--to", file).Code, "a file that is there is not written over")
}

// What one cancels is kept as far as it came; what cannot be captured is refused with the reason; and the file does not stay on the device.
func TestACaptureThatIsCancelled(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	o := start(t, r, "th-sw-02", "capture", map[string]string{"ports": "1/1/17,1/1/2", "for": "600", "count": "10000"})
	require.Eventually(t, func() bool {
		now, err := r.Operation(t.Context(), o.Number)
		return err == nil && len(now.Lines) > 0 && now.Lines[len(now.Lines)-1].Cells["frames"] > "0"
	}, rig.WaitLong, rig.WaitStep)
	require.NoError(t, r.CancelOperation(t.Context(), o.Number))
	o = ended(t, r, o.Number)
	assert.Equal(t, "cancelled", o.State)
	frames, err := r.Frames(t.Context(), client.FramesQuery{Of: []int64{o.Number}, Limit: 1000})
	require.NoError(t, err)
	assert.NotZero(t, frames.Total)
	files, err := r.DeviceFiles(t.Context(), "th-sw-02")
	require.NoError(t, err)
	assert.Empty(t, files.Items)

	bad := ended(t, r, start(t, r, "th-sw-02", "capture", map[string]string{"ports": "1/1/17", "filter": "tcp prot 5"}).Number)
	assert.Equal(t, [2]string{"failed", `that is no filter: "prot" stands where there should be the end, and, or`}, [2]string{bad.State, bad.Why})
	_, err = r.Frames(t.Context(), client.FramesQuery{Of: []int64{bad.Number}, Limit: 10})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "left no capture")
	_, err = r.StartOperation(t.Context(), "th-sw-02", v1.OperationRequest{Kind: "capture", Args: map[string]string{"ports": "1,2,3,4,5,6,7,8,9"}})
	assert.ErrorContains(t, err, "8")

	// A device that dies in the middle leaves a capture that failed, and none that can be read.
	o = start(t, r, "th-sw-02", "capture", map[string]string{"ports": "1/1/17", "for": "600"})
	require.NoError(t, r.World.Throw(standin.PowerLoss, "th-sw-02"))
	o = ended(t, r, o.Number)
	assert.Equal(t, "failed", o.State)
}

// Who sees that somebody captured does not see what stations said; and nobody sees what lies elsewhere.
func TestWhoSeesFramesAndFiles(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	o := ended(t, r, start(t, r, "th-sw-02", "capture", map[string]string{"ports": "1/1/17", "for": "1"}).Number)
	require.Equal(t, "done", o.State, o.Why)
	viewer, afar := r.As(t, "coral", "viewer"), r.Confine(t, "esker", "operator", "site = harbour-house")
	near := r.Confine(t, "bram", "operator", "name = th-sw-01")
	for name, who := range map[string]*client.Client{"viewer": viewer, "afar": afar, "near": near} {
		_, err := who.Frames(t.Context(), client.FramesQuery{Of: []int64{o.Number}, Limit: 10})
		require.Error(t, err, name)
		_, err = who.CaptureFile(t.Context(), []int64{o.Number})
		require.Error(t, err, name)
		_, err = who.DeviceFiles(t.Context(), "th-sw-02")
		require.Error(t, err, name)
		_, err = who.DeviceFile(t.Context(), "th-sw-02", "x")
		require.Error(t, err, name)
		require.Error(t, who.PutDeviceFile(t.Context(), "th-sw-02", "x", []byte("x")), name)
		require.Error(t, who.RemoveDeviceFile(t.Context(), "th-sw-02", "x"), name)
	}
	own := ended(t, r, start(t, r, "th-sw-01", "capture", map[string]string{"ports": "1/1/17", "for": "1"}).Number)
	_, err := near.Frames(t.Context(), client.FramesQuery{Of: []int64{own.Number}, Limit: 10})
	require.NoError(t, err)
	_, err = near.Frames(t.Context(), client.FramesQuery{Of: []int64{own.Number, o.Number}, Limit: 10})
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	_, err = r.CaptureFile(t.Context(), []int64{o.Number})
	require.NoError(t, err)
	assert.Contains(t, strings.Join(r.Audited(t, ""), "\n"), "get-capture")
}

func TestFilesOfADevice(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	here := t.TempDir()
	notes := filepath.Join(here, "notes.txt")
	require.NoError(t, os.WriteFile(notes, []byte("the key is under the mat"), 0o600))
	assert.Contains(t, c.Good("files", "th-sw-02").Err, "th-sw-02 has no files")
	c.Good("file", "send", "th-sw-02", notes)
	require.NoError(t, os.WriteFile(notes, []byte("the key is gone"), 0o600))
	c.Good("file", "send", "th-sw-02", notes) // a shorter one takes its place
	assert.Regexp(t, `notes\.txt +15`, c.Good("files", "th-sw-02").Out)
	back := filepath.Join(here, "back.txt")
	c.Good("file", "fetch", "th-sw-02", "notes.txt", "--to", back)
	got, err := os.ReadFile(back)
	require.NoError(t, err)
	assert.Equal(t, "the key is gone", string(got))
	assert.Contains(t, c.Run("", "file", "fetch", "th-sw-02", "notes.txt", "--to", back).Err, "is there already")
	assert.Contains(t, c.Run("", "file", "fetch", "th-sw-02", "nothing.txt").Err, `file "nothing.txt" of th-sw-02`)
	_, err = r.DeviceFile(t.Context(), "th-sw-02", "../notes.txt")
	assert.ErrorContains(t, err, "without slashes")
	assert.Equal(t, 3, c.Run("no\n", "file", "remove", "th-sw-02", "notes.txt").Code)
	c.Good("file", "remove", "th-sw-02", "notes.txt", "--yes")
	assert.Contains(t, c.Good("files", "th-sw-02").Err, "th-sw-02 has no files")
}

func TestCaptureByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02?tab=tests&ask=capture"), browser.Shows("keeps what passes its ports"),
		browser.TypeInto("Ports", "1/1/17"), browser.TypeInto("For", "1"),
		browser.On(`[...document.querySelectorAll("form button[type=submit]")].find(b => b.innerText === "Capture" && !b.disabled)`, `e.click()`),
		browser.Shows("Frames 1 to"), browser.Shows("10.1.50.10"),
		browser.TypeInto("Find in frames", "nothing of the kind"+kb.Enter), browser.Shows("No frame that matches"),
		browser.Press("List its files"), browser.Shows("It has no files"),
	))
}
