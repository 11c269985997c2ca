package test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
)

// program is the built program; it is built once for all tests.
var program = sync.OnceValues(func() (string, error) {
	dir, err := os.MkdirTemp("", "everypost-test")
	if err != nil {
		return "", err
	}
	path := filepath.Join(dir, "everypost")
	out, err := exec.Command("go", "build", "-o", path, "../cmd/everypost").CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("build: %w\n%s", err, out)
	}
	return path, nil
})

func TestMain(m *testing.M) {
	code := m.Run()
	if path, err := program(); err == nil {
		_ = os.RemoveAll(filepath.Dir(path))
	}
	os.Exit(code)
}

// process is a service in a process of its own, which can be killed.
type process struct {
	*client.Client
	t      *testing.T
	dir    string
	listen string
	cmd    *exec.Cmd
	log    bytes.Buffer
}

func startProcess(t *testing.T, w *standin.World) *process {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	p := &process{t: t, dir: t.TempDir(), listen: l.Addr().String(), Client: &client.Client{Base: "http://" + l.Addr().String()}}
	require.NoError(t, l.Close())
	p.start()
	t.Cleanup(p.kill)
	token, err := p.SignInToken(t.Context(), v1.TokenSignIn{SignIn: v1.SignIn{Name: "ada", Password: password}, TokenRequest: v1.TokenRequest{Label: "test"}})
	require.NoError(t, err)
	p.Token = token.Secret
	require.NoError(t, p.PutSite(t.Context(), "tern-haven", v1.SiteRequest{Title: "Tern Haven terminal", Entry: "th-edge-01"}))
	for _, name := range w.Devices() {
		probe, err := p.Probe(t.Context(), w.Address(name))
		require.NoError(t, err)
		_, err = p.Enrol(t.Context(), v1.Enrolment{Address: probe.Address, User: deviceUser, Password: devicePassword, HostKey: probe.HostKey, Site: "tern-haven"})
		require.NoError(t, err)
	}
	p.awaitDevices(len(w.Devices()))
	return p
}

func (p *process) start() {
	p.t.Helper()
	path, err := program()
	require.NoError(p.t, err)
	p.cmd = exec.Command(path, "serve", "--listen", p.listen, "--data", p.dir)
	p.cmd.Env = append(os.Environ(), "EVERYPOST_FIRST_USER=ada", "EVERYPOST_FIRST_PASSWORD="+password)
	p.cmd.Stderr = &p.log
	require.NoError(p.t, p.cmd.Start())
	require.Eventually(p.t, func() bool {
		resp, err := http.Get(p.Base + "/readyz")
		if err != nil {
			return false
		}
		_ = resp.Body.Close()
		return resp.StatusCode == http.StatusOK
	}, 20*time.Second, 10*time.Millisecond)
}

// kill ends the process as a power cut would.
func (p *process) kill() {
	_ = p.cmd.Process.Kill()
	_ = p.cmd.Wait()
}

func (p *process) awaitDevices(n int) {
	p.t.Helper()
	require.Eventually(p.t, func() bool {
		list, err := p.Devices(p.t.Context(), client.Query{Where: "reach = connected"})
		return err == nil && len(list.Items) == n
	}, 30*time.Second, 20*time.Millisecond)
}

// settle waits until no change is under way, undoing those that wait for a word.
func (p *process) settle(number int64) v1.Change {
	p.t.Helper()
	var c v1.Change
	require.Eventually(p.t, func() bool {
		var err error
		if c, err = p.Change(p.t.Context(), number); err != nil {
			return false
		}
		if c.State == "on-trial" {
			_, _ = p.Undo(p.t.Context(), number)
		}
		return c.State == "kept" || c.State == "undone" || c.State == "failed" || c.State == "checked"
	}, 90*time.Second, 50*time.Millisecond, "change %d: %s %v", number, c.State, c.Log)
	return c
}

var killPorts = []string{"th-sw-02:1/1/7", "th-sw-01:1/1/7"}

// kills is how often the service is killed in each of the four states: 200 times in all.
const kills = 50

// TestKilledService kills the service many times in each state of a push over two devices, at moments spread over it, and
// holds what the devices really run against what the service says after it was started again.
func TestKilledService(t *testing.T) {
	for _, phase := range []string{"pushing", "on-trial", "keeping", "undoing"} {
		t.Run(phase, func(t *testing.T) {
			t.Parallel()
			w := startWorld(t)
			r := &rig{world: w}
			p := startProcess(t, w)
			random := rand.New(rand.NewPCG(1, uint64(len(phase))))
			ends := map[string]int{}
			for round := range kills {
				want := 40
				if vlan, _ := r.runs(killPorts[0]); vlan == "40" {
					want = 20
				}
				c := p.pushBoth(want)
				// The moments are spread evenly over what the phase takes, with some chance.
				share := (float64(round) + random.Float64()) / kills
				p.into(phase, c.Number, share)
				p.kill()
				p.start()
				c = p.settle(c.Number)
				ends[c.State]++
				p.awaitDevices(len(w.Devices()))
				p.agrees(r, c, want)
			}
			t.Logf("%s: %v", phase, ends)
		})
	}
}

func (p *process) pushBoth(vlan int) v1.Change {
	p.t.Helper()
	var edits []v1.Edit
	for _, port := range killPorts {
		edits = append(edits, v1.Edit{Port: port, Field: "vlan", Value: fmt.Sprint(vlan)})
	}
	c, err := p.MakeChange(p.t.Context(), v1.ChangeRequest{Edits: edits})
	require.NoError(p.t, err)
	c, err = p.Check(p.t.Context(), c.Number)
	require.NoError(p.t, err)
	_, err = p.Push(p.t.Context(), c.Number, c.Revision, v1.PushRequest{TrialSeconds: 20})
	require.NoError(p.t, err)
	return c
}

// into brings a change to a phase and lets a share of it pass. The moment is the subject here, so time is what is waited
// for: with these devices a push takes some 60 ms, keeping and undoing some 30 ms.
func (p *process) into(phase string, number int64, share float64) {
	p.t.Helper()
	length := 60 * time.Millisecond
	if phase != "pushing" {
		require.Eventually(p.t, func() bool {
			c, err := p.Change(p.t.Context(), number)
			return err == nil && c.State == "on-trial"
		}, 20*time.Second, 2*time.Millisecond)
		length = time.Second
	}
	var err error
	switch phase {
	case "keeping":
		_, err = p.Keep(p.t.Context(), number)
		length = 30 * time.Millisecond
	case "undoing":
		_, err = p.Undo(p.t.Context(), number)
		length = 30 * time.Millisecond
	}
	require.NoError(p.t, err)
	<-time.After(time.Duration(share * float64(length)))
}

// agrees holds the devices against the change and against what the service says of the ports.
func (p *process) agrees(r *rig, c v1.Change, want int) {
	p.t.Helper()
	expected := "20"
	if (c.State == "kept") == (want == 40) {
		expected = "40"
	}
	for _, port := range killPorts {
		device, name, _ := cutPort(port)
		vlan, _ := r.runs(port)
		assert.Equal(p.t, expected, vlan, "%s after change %d %s: %v", port, c.Number, c.State, c.Log)
		assert.False(p.t, r.world.TrialOpen(device), device)
		d, err := p.Device(p.t.Context(), device)
		require.NoError(p.t, err)
		for _, port := range d.PortList {
			if port.Port == name {
				assert.Equal(p.t, vlan, fmt.Sprint(port.AccessVLAN), "what the service says of %s", port.Ref)
			}
		}
	}
}
