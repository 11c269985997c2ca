package fleet

import (
	"context"
	"fmt"
	"io"
	"slices"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/driver"
)

// What devices can do besides being read and changed. Each is found by asking the session that is there; what takes long is bounded by who asks.

const (
	// maxFiles is how many files of a device are told.
	maxFiles = 500
	// certifyTime is how long a device has to make a key, or to take a certificate: small ones take their time.
	certifyTime = 30 * time.Second
)

// ability is the session of a device as one that can do something. What cannot be done says so of a device that cannot.
func ability[T any](f *Fleet, name, cannot string, can func(T) bool) (t T, err error) {
	u, err := f.unit(name)
	if err != nil {
		return t, err
	}
	s, err := u.inHand()
	if err != nil {
		return t, err
	}
	t, ok := s.(T)
	if !ok || !can(t) {
		return t, fmt.Errorf("%w: %s %s", ErrCannot, name, cannot)
	}
	return t, nil
}

// Operate has a device do something, and calls tell for each line that comes back. It takes as long as it takes, or until ctx
// ends; other requests go on beside it.
func (f *Fleet) Operate(ctx context.Context, name string, r operation.Request, tell func(operation.Line)) (file string, err error) {
	o, err := ability(f, name, "offers no "+string(r.Kind), func(o driver.Operator) bool { return slices.Contains(o.Operations(), r.Kind) })
	if err != nil {
		return "", err
	}
	return o.Operate(ctx, r, tell)
}

func (f *Fleet) filesOf(name string) (driver.FileTaker, error) {
	return ability(f, name, "has no files", func(driver.FileTaker) bool { return true })
}

// PutFile has a device have a file of a name, and calls tell with how many of its octets are there. It takes as long as it takes.
func (f *Fleet) PutFile(ctx context.Context, name, file string, from io.ReaderAt, size int64, tell func(int64)) error {
	t, err := f.filesOf(name)
	if err != nil {
		return err
	}
	return t.PutFile(ctx, file, from, size, tell)
}

// Files lists the files of a device.
func (f *Fleet) Files(ctx context.Context, name string) ([]driver.File, error) {
	t, err := f.filesOf(name)
	if err != nil {
		return nil, err
	}
	return t.Files(ctx, maxFiles)
}

// GetFile returns a file of a device, of no more octets than most.
func (f *Fleet) GetFile(ctx context.Context, name, file string, most int64) ([]byte, error) {
	t, err := f.filesOf(name)
	if err != nil {
		return nil, err
	}
	return t.GetFile(ctx, file, most)
}

// RemoveFile removes a file of a device.
func (f *Fleet) RemoveFile(ctx context.Context, name, file string) error {
	t, err := f.filesOf(name)
	if err != nil {
		return err
	}
	return t.RemoveFile(ctx, file)
}

// Sessions lists the sessions that a device let begin, as far as a question picks them, and tells how many it picks.
func (f *Fleet) Sessions(ctx context.Context, name string, q network.SessionQuery) ([]network.Session, int, error) {
	l, err := ability(f, name, "tells of no sessions", driver.SessionLister.ListsSessions)
	if err != nil {
		return nil, 0, err
	}
	return l.Sessions(ctx, q)
}

func (f *Fleet) applicationTeller(name string) (driver.ApplicationTeller, error) {
	return ability(f, name, "recognizes no applications", driver.ApplicationTeller.TellsApplications)
}

// TellsApplications tells whether a device recognizes applications.
func (f *Fleet) TellsApplications(name string) bool {
	_, err := f.applicationTeller(name)
	return err == nil
}

// Applications tells which applications were used through a device in the last hours, by source.
func (f *Fleet) Applications(ctx context.Context, name string, hours int) (network.ApplicationUses, error) {
	t, err := f.applicationTeller(name)
	if err != nil {
		return network.ApplicationUses{}, err
	}
	return t.Applications(ctx, hours)
}

func (f *Fleet) certifier(name string) (driver.Certifier, error) {
	return ability(f, name, "takes no certificates", driver.Certifier.Certifies)
}

// Certifies tells whether a device can be given certificates.
func (f *Fleet) Certifies(name string) bool {
	_, err := f.certifier(name)
	return err == nil
}

// RequestCertificate has a device make a new key for a place, and a request for a certificate of it.
func (f *Fleet) RequestCertificate(ctx context.Context, device, name string, names []string) ([]byte, error) {
	c, err := f.certifier(device)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, certifyTime)
	defer cancel()
	return c.RequestCertificate(ctx, name, device, names)
}

// InstallCertificate has a device use a certificate, with its key unless that was made on the device, and reads what it has then.
func (f *Fleet) InstallCertificate(ctx context.Context, device, name string, chain, key []byte) error {
	c, err := f.certifier(device)
	if err != nil {
		return err
	}
	take, cancel := context.WithTimeout(ctx, certifyTime)
	defer cancel()
	if err := c.InstallCertificate(take, name, chain, key); err != nil {
		return err
	}
	return f.with(ctx, device, func(ctx context.Context, u *unit, s driver.Session) error { return u.inspect(ctx, s) })
}
