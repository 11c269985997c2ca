// Package leases knows which devices are being worked on: whoever changes what a device runs holds it, and others leave it in peace for so long.
package leases

import "sync"

// Leases are those of devices. The zero value is good.
type Leases struct {
	mu       sync.Mutex
	held     map[string]int
	restarts map[string]int
}

// Take takes devices until giveBack is called. Who may work on a device at all is for others to say: several may hold one.
func (l *Leases) Take(devices ...string) (giveBack func()) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.take(devices...)
}

func (l *Leases) take(devices ...string) (giveBack func()) {
	if l.held == nil {
		l.held = map[string]int{}
	}
	for _, d := range devices {
		l.held[d]++
	}
	return sync.OnceFunc(func() {
		l.mu.Lock()
		defer l.mu.Unlock()
		for _, d := range devices {
			if l.held[d]--; l.held[d] == 0 {
				delete(l.held, d)
			}
		}
	})
}

// Try takes a device that nobody holds until giveBack is called, and tells whether it could.
func (l *Leases) Try(device string) (giveBack func(), ok bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.held[device] > 0 {
		return nil, false
	}
	return l.take(device), true
}

// Held tells whether somebody works on a device.
func (l *Leases) Held(device string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.held[device] > 0
}

// Restarts tells that a device was told to restart, until over is called: that it is gone is no news.
func (l *Leases) Restarts(device string) (over func()) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.restarts == nil {
		l.restarts = map[string]int{}
	}
	l.restarts[device]++
	return sync.OnceFunc(func() {
		l.mu.Lock()
		defer l.mu.Unlock()
		if l.restarts[device]--; l.restarts[device] == 0 {
			delete(l.restarts, device)
		}
	})
}

// Restarting tells whether a device was told to restart, and is not back.
func (l *Leases) Restarting(device string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.restarts[device] > 0
}
