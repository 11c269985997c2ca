package passwords_test

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/job"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/layers"
	"example.net/everypost/internal/service/passwords"
)

var errDead = errors.New("the service was killed")

// house is a device and what is kept of it, in one. After so many calls the service is dead.
type house struct {
	runs, trial string // passwords; trial is "" while there is none
	proposed    string
	mute        bool // it lets nobody in by a password that is on trial
	goodForever bool // it has no trials
	kept        driver.Target
	words       map[string]string
	calls, die  int
	config      network.Config
}

func (h *house) alive() error {
	if h.calls++; h.die > 0 && h.calls >= h.die {
		return errDead
	}
	return nil
}

func (h *house) takes() string {
	if h.trial != "" {
		return h.trial
	}
	return h.runs
}

func (h *house) AwaitTry(context.Context, string) {}
func (h *house) Introduce(_ context.Context, t driver.Target) (network.Identity, error) {
	switch {
	case h.alive() != nil:
		return network.Identity{}, errDead
	case t.Password != h.takes() || h.mute && h.trial != "":
		return network.Identity{}, driver.ErrCredentials
	}
	return network.Identity{}, nil
}
func (h *house) ReadConfig(context.Context, string) (network.Config, error) {
	return h.config, h.alive()
}
func (h *house) Propose(_ context.Context, _, _ string, _, after network.Config) error {
	h.proposed = h.words[after.Objects[setting.Login("fleet")]["password"]]
	return h.alive()
}
func (h *house) Trial(context.Context, string, string, time.Duration) error {
	if err := h.alive(); err != nil {
		return err
	}
	if h.trial = h.proposed; h.goodForever {
		h.runs, h.trial = h.trial, ""
	}
	return h.alive()
}
func (h *house) Keep(context.Context, string, string) error {
	if err := h.alive(); err != nil {
		return err
	}
	if h.trial == "" {
		return driver.ErrNoTrial
	}
	h.runs, h.trial = h.trial, ""
	return h.alive()
}
func (h *house) Undo(context.Context, string, string) error {
	if err := h.alive(); err != nil {
		return err
	}
	if h.trial == "" {
		return driver.ErrNoTrial
	}
	h.trial = ""
	return nil
}
func (h *house) Target(string) (driver.Target, error) { return h.kept, nil }
func (h *house) PromisePassword(_ context.Context, _, next string) error {
	if err := h.alive(); err != nil {
		return err
	}
	h.kept.Next = next
	return nil
}
func (h *house) AdoptLogin(_ context.Context, _, user, password, _ string) error {
	if err := h.alive(); err != nil {
		return err
	}
	h.kept.User, h.kept.Password, h.kept.Next = user, password, ""
	return nil
}
func (h *house) Take(_ context.Context, typed string, hashed bool) (string, error) {
	reference := fmt.Sprintf("%v %s", hashed, typed)
	h.words[reference] = typed
	return reference, nil
}
func (h *house) Reveal(reference string) (string, error) { return h.words[reference], nil }
func (h *house) AcceptHeld(context.Context, string, ...string) error {
	return layers.ErrNoDrift
}

func newHouse() *house {
	return &house{runs: "tidewater", kept: driver.Target{User: "fleet", Password: "tidewater"}, words: map[string]string{},
		config: network.Config{Features: []network.Feature{setting.LocalUsers}}}
}

func (h *house) do() (job.Step, error) {
	s := &passwords.Service{Fleet: h, Logins: h, Vault: h, Layers: h}
	return s.Do(context.Background(), job.Job{Owner: "ada"}, job.Step{Device: "th-sw-02"}, func(job.Step) error { return h.alive() })
}

// Killed at any of its steps, and whatever the device did with its trial meanwhile, the service knows a password that the device takes; and doing it
// again ends with one that is proved, and no other.
func TestKilledAnywhereTheServiceCanStillLogIn(t *testing.T) {
	for _, good := range []bool{false, true} {
		whole := newHouse()
		whole.goodForever = good
		_, err := whole.do()
		require.NoError(t, err)
		for die := 1; die <= whole.calls; die++ {
			for _, expires := range []bool{false, true} {
				h := newHouse()
				h.goodForever, h.die = good, die
				_, _ = h.do()
				if expires {
					h.trial = ""
				}
				at := fmt.Sprintf("dead at call %d of %d, the trial ended: %v, trials: %v", die, whole.calls, expires, !good)
				assert.Contains(t, []string{h.kept.Password, h.kept.Next}, h.takes(), at)
				h.die = 0
				step, err := h.do()
				require.NoError(t, err, at)
				assert.Equal(t, job.StepDone, step.State, at)
				assert.Equal(t, h.runs, h.kept.Password, at)
				assert.NotEqual(t, "tidewater", h.runs, at)
				assert.Equal(t, [2]string{}, [2]string{h.trial, h.kept.Next}, at)
			}
		}
	}
}

func TestAPasswordThatIsNotTakenIsNotKept(t *testing.T) {
	h := newHouse()
	h.mute = true
	_, err := h.do()
	require.ErrorContains(t, err, "did not let the service in")
	assert.Equal(t, [3]string{"tidewater", "", "tidewater"}, [3]string{h.runs, h.trial, h.kept.Password})
	assert.Empty(t, h.kept.Next, "the old one was seen to work")
	for what, c := range map[string]network.Config{
		"who its users are": {},
		"asks RADIUS":       {Features: []network.Feature{setting.LocalUsers}, Settings: network.Settings{"sign-in": "radius"}},
	} {
		h := newHouse()
		h.config = c
		_, err := h.do()
		require.ErrorContains(t, err, what)
		assert.Equal(t, "tidewater", h.takes())
	}
}
