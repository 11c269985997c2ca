// Package passwords gives devices other passwords for the user as whom the service logs in. A new one is kept, sealed, before a device gets it; it
// runs there on trial until somebody was let in by it; and only then the old one is forgotten. Killed at any moment, the service still knows one
// that the device takes.
package passwords

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"maps"
	"time"

	"example.net/everypost/internal/core/job"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/layers"
)

// Fleet is what the package needs of the fleet.
type Fleet interface {
	AwaitTry(ctx context.Context, name string)
	Introduce(ctx context.Context, t driver.Target) (network.Identity, error)
	ReadConfig(ctx context.Context, name string) (network.Config, error)
	Propose(ctx context.Context, name, token string, before, after network.Config) error
	Trial(ctx context.Context, name, token string, d time.Duration) error
	Keep(ctx context.Context, name, token string) error
	Undo(ctx context.Context, name, token string) error
}

// Logins keeps how devices are logged in to.
type Logins interface {
	Target(name string) (driver.Target, error)
	PromisePassword(ctx context.Context, name, next string) error
	AdoptLogin(ctx context.Context, name, user, password, by string) error
}

// Vault makes hashes of passwords, and opens those that somebody said.
type Vault interface {
	Take(ctx context.Context, typed string, hashed bool) (reference string, err error)
	Reveal(reference string) (string, error)
}

// Layers takes what a device runs as what is intended there.
type Layers interface {
	AcceptHeld(ctx context.Context, device string, objects ...string) error
}

// Service is the capability: a jobs.Doer.
type Service struct {
	Fleet  Fleet
	Logins Logins
	Vault  Vault
	Layers Layers
}

const (
	token     = "password-of-the-service" // of the trial; a device has but one
	trialTime = 30 * time.Second          // until a device goes back by itself
	firstWait = time.Minute               // for the first try to reach a device
	stepTime  = 2 * time.Minute           // what is begun on a device is ended, for so long, whoever cancels
)

// Plan implements jobs.Doer: nobody notices, so they are all of one wave.
func (s *Service) Plan(_ context.Context, j job.Job, devices []string) ([]job.Step, error) {
	to := "a password of its own, made up"
	if j.Args[job.Password] != "" {
		to = "the password that was typed"
	}
	out := make([]job.Step, len(devices))
	for i, d := range devices {
		out[i] = job.Step{Device: d, State: job.StepWaiting, To: to}
		if t, err := s.Logins.Target(d); err == nil {
			out[i].From = t.User
			if t.CallsHome {
				out[i].To = "as it is: it lets the service in by a key"
			}
		}
	}
	return out, nil
}

// Do implements jobs.Doer.
func (s *Service) Do(ctx context.Context, j job.Job, step job.Step, tell func(job.Step) error) (job.Step, error) {
	doing := func(what string) error {
		step.Doing = what
		return tell(step)
	}
	if err := doing("reading what it runs"); err != nil {
		return step, err
	}
	first, cancel := context.WithTimeout(ctx, firstWait)
	s.Fleet.AwaitTry(first, step.Device)
	cancel()
	t, err := s.Logins.Target(step.Device)
	switch {
	case err != nil:
		return step, err
	case t.CallsHome:
		step.State, step.Note = job.StepUnchanged, "it lets the service in by a key, and has no password"
		return step, nil
	}
	if t.Next != "" { // an earlier try ended in the middle
		if done, err := s.settle(ctx, step.Device, t, j.Owner); done || err != nil {
			step.State, step.Note = job.StepDone, "it had its new password already"
			return step, err
		}
	}
	before, err := s.Fleet.ReadConfig(ctx, step.Device)
	if err == nil {
		err = fits(before)
	}
	if err != nil {
		return step, err
	}
	next, after, err := s.after(ctx, j, t.User, before)
	if err != nil {
		return step, err
	}
	if ctx.Err() != nil {
		return step, context.Cause(ctx)
	}
	// From here on it is ended, one way or the other: a device between two passwords is nobody's wish.
	ctx, cancel = context.WithTimeout(context.WithoutCancel(ctx), stepTime)
	defer cancel()
	if err := doing("giving it the new password on trial"); err != nil {
		return step, err
	}
	if err := s.Logins.PromisePassword(ctx, step.Device, next); err != nil {
		return step, err
	}
	if err := s.try(ctx, step.Device, before, after); err != nil {
		return step, s.back(ctx, step.Device, t, err)
	}
	if err := doing("proving the new password"); err != nil {
		return step, s.back(ctx, step.Device, t, err)
	}
	old := t
	t.Password, t.Next = next, ""
	if _, err := s.Fleet.Introduce(ctx, t); err != nil {
		return step, s.back(ctx, step.Device, old, fmt.Errorf("the new password did not let the service in: %w", err))
	}
	if err := s.Fleet.Keep(ctx, step.Device, token); err != nil && !errors.Is(err, driver.ErrNoTrial) {
		return step, fmt.Errorf("whether it keeps the new password is not known; both are tried until this is done again: %w", err)
	}
	step.State, step.Note = job.StepDone, "the new password was proved, the old one is gone"
	return step, s.adopt(ctx, step.Device, t, j.Owner)
}

// fits tells why the password of a device cannot be changed, or nil.
func fits(c network.Config) error {
	switch {
	case !c.Has(setting.LocalUsers):
		return errors.New("it cannot be told who its users are: change the password on it, then say it here")
	case c.Settings["sign-in"] == "radius":
		return errors.New("it asks RADIUS servers who may come in: change the password there, then say it here")
	}
	return nil
}

// after is the next password, and what the device runs with it.
func (s *Service) after(ctx context.Context, j job.Job, user string, before network.Config) (next string, after network.Config, err error) {
	next = rand.Text()
	if said := j.Args[job.Password]; said != "" {
		if next, err = s.Vault.Reveal(said); err != nil {
			return "", after, fmt.Errorf("the password that was said: %w", err)
		}
	}
	reference, err := s.Vault.Take(ctx, next, true)
	if err != nil {
		return "", after, err
	}
	after = before.Clone()
	if after.Objects == nil {
		after.Objects = map[string]network.Settings{}
	}
	object := setting.Login(user)
	set := maps.Clone(after.Objects[object])
	if set == nil { // it was known without standing in what the device runs
		set = network.Settings{"role": "administrator"}
	}
	set["password"] = reference
	after.Objects[object] = set
	return next, after, nil
}

// try has a device run it on trial.
func (s *Service) try(ctx context.Context, device string, before, after network.Config) error {
	if err := s.Fleet.Propose(ctx, device, token, before, after); err != nil {
		return err
	}
	return s.Fleet.Trial(ctx, device, token, trialTime)
}

// back has a device go back to the old password. Only where that is seen to let the service in, the new one is forgotten.
func (s *Service) back(ctx context.Context, device string, old driver.Target, why error) error {
	_ = s.Fleet.Undo(ctx, device, token) // where it cannot be told to, it goes back by itself
	old.Next = ""
	if _, err := s.Fleet.Introduce(ctx, old); err != nil {
		return fmt.Errorf("%w; the device could be between two passwords: both are tried until this is done again", why)
	}
	return cmp.Or(s.Logins.PromisePassword(ctx, device, ""), why)
}

// settle finds out what became of a password that a device was being given, and reports whether it has it.
func (s *Service) settle(ctx context.Context, device string, t driver.Target, by string) (done bool, err error) {
	if err := s.Fleet.Keep(ctx, device, token); err != nil && !errors.Is(err, driver.ErrNoTrial) {
		return false, err
	}
	next := t
	next.Password, next.Next = t.Next, ""
	_, err = s.Fleet.Introduce(ctx, next)
	switch {
	case err == nil:
		return true, s.adopt(ctx, device, next, by)
	case errors.Is(err, driver.ErrCredentials):
		return false, s.Logins.PromisePassword(ctx, device, "")
	}
	return false, err
}

// adopt takes note that a device has a password, and that what it runs for it is what is intended.
func (s *Service) adopt(ctx context.Context, device string, t driver.Target, by string) error {
	if err := s.Logins.AdoptLogin(ctx, device, t.User, t.Password, by); err != nil {
		return fmt.Errorf("it has its new password, which could not be kept as such; both are tried until this is done again: %w", err)
	}
	if _, err := s.Fleet.ReadConfig(ctx, device); err != nil {
		return nil // what it runs is found once it is read
	}
	err := s.Layers.AcceptHeld(ctx, device, setting.Login(t.User))
	if errors.Is(err, layers.ErrNoDrift) {
		err = nil
	}
	return err
}
