package authority

import (
	"context"
	"errors"
	"fmt"
	"net"
	"strconv"
	"time"

	"example.net/everypost/internal/core/job"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/fleet"
)

// Fleet is what renewing needs of the fleet.
type Fleet interface {
	AwaitTry(ctx context.Context, name string)
	View(name string) (fleet.View, bool)
	Certifies(name string) bool
	RequestCertificate(ctx context.Context, device, name string, names []string) ([]byte, error)
	InstallCertificate(ctx context.Context, device, name string, chain, key []byte) error
}

// Renewer renews certificates of devices: a jobs.Doer.
type Renewer struct {
	Authority *Service
	Fleet     Fleet
	Now       func() time.Time
}

const firstWait = time.Minute // for the first try to reach a device

// ending are the certificates of a device that end within so many days.
func (r *Renewer) ending(v fleet.View, days int) (out []network.Certificate) {
	for _, c := range v.Inside.Certificates {
		if c.NotAfter.Before(r.Now().AddDate(0, 0, days)) {
			out = append(out, c)
		}
	}
	return out
}

func whole(args map[string]string, name string) int {
	n, _ := strconv.Atoi(args[name])
	return n
}

// Plan implements jobs.Doer: nobody notices, so they are all of one wave. Only devices with something to renew have a step.
func (r *Renewer) Plan(_ context.Context, j job.Job, devices []string) ([]job.Step, error) {
	var out []job.Step
	until := r.Now().AddDate(0, 0, whole(j.Args, job.ValidFor)).UTC().Format(time.DateOnly)
	for _, d := range devices {
		v, ok := r.Fleet.View(d)
		if !ok {
			continue
		}
		if ends := r.ending(v, whole(j.Args, job.Within)); len(ends) > 0 {
			out = append(out, job.Step{Device: d, State: job.StepWaiting, From: ends[0].Name + " until " + ends[0].NotAfter.Format(time.DateOnly), To: "until " + until})
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("%w: no certificate of the devices that it picks ends within %s days", job.ErrInvalid, j.Args[job.Within])
	}
	return out, nil
}

// Do implements jobs.Doer. What was cut off begins anew: a request that nobody answered is nothing to the device.
func (r *Renewer) Do(ctx context.Context, j job.Job, step job.Step, tell func(job.Step) error) (job.Step, error) {
	first, cancel := context.WithTimeout(ctx, firstWait)
	r.Fleet.AwaitTry(first, step.Device)
	cancel()
	v, ok := r.Fleet.View(step.Device)
	if !ok || !r.Fleet.Certifies(step.Device) {
		return step, errors.New("it is not in hand, or takes no certificates")
	}
	names := namesOf(v)
	done := 0
	for _, c := range r.ending(v, whole(j.Args, job.Within)) {
		step.Doing = "renewing " + c.Name
		if err := tell(step); err != nil {
			return step, err
		}
		request, err := r.Fleet.RequestCertificate(ctx, step.Device, c.Name, names)
		if err != nil {
			return step, err
		}
		chain, signed, err := r.Authority.Sign(ctx, request, Order{Device: step.Device, Name: c.Name, Names: names, For: time.Duration(whole(j.Args, job.ValidFor)) * 24 * time.Hour, By: j.Owner})
		if err != nil {
			return step, err
		}
		if err := r.Fleet.InstallCertificate(ctx, step.Device, c.Name, chain, nil); err != nil {
			return step, err
		}
		serial := fmt.Sprintf("%x", signed.SerialNumber)
		if now, _ := r.Fleet.View(step.Device); !holds(now, c.Name, serial) {
			return step, fmt.Errorf("it took the certificate %s and does not show it", c.Name)
		}
		done++
		step.Note = fmt.Sprintf("%s is good until %s", c.Name, signed.NotAfter.Format(time.DateOnly))
	}
	if step.State = job.StepDone; done == 0 {
		step.State, step.Note = job.StepUnchanged, "nothing of it ends so soon"
	}
	return step, nil
}

// namesOf are the names and addresses for which a certificate of a device is to be good.
func namesOf(v fleet.View) []string {
	names := []string{v.Name}
	if own, _, err := net.ParseCIDR(v.Config.ManagementAddress); err == nil {
		names = append(names, own.String())
	}
	return names
}

func holds(v fleet.View, name, serial string) bool {
	for _, c := range v.Inside.Certificates {
		if c.Name == name && c.Serial == serial {
			return true
		}
	}
	return false
}
