package access

import (
	"net/netip"
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// How often somebody may be wrong: so often at once, then once in a while.
const (
	attemptsFrom  = 10 // from one address, at any names
	attemptsPair  = 5  // from one address, at one name
	attemptsName  = 50 // at one name, from addresses from which that person never came in
	attemptEvery  = 6 * time.Second
	rememberTries = 20_000
)

// guesses counts those who are wrong. An address is counted first, so that one that guesses is stopped before it uses up what
// others may try; a name is counted over all addresses only where it is not that from which the person last came in, so that
// nobody can lock a person out of where he sits. A sign-in that succeeds gives nothing back but its own try.
type guesses struct {
	mu    sync.Mutex
	tries map[string]*rate.Limiter
	known map[[2]string]bool // name and address from which a sign-in succeeded
}

func newGuesses() guesses {
	return guesses{tries: map[string]*rate.Limiter{}, known: map[[2]string]bool{}}
}

// attempt is one that was let through.
type attempt struct {
	of    *guesses
	at    time.Time
	taken []*rate.Reservation
	who   [2]string
}

// take counts an attempt, and tells whether it may be made.
func (g *guesses) take(name, from string, now time.Time) (attempt, bool) {
	from = place(from)
	g.mu.Lock()
	defer g.mu.Unlock()
	a := attempt{of: g, at: now, who: [2]string{name, from}}
	limits := []struct {
		key   string
		burst int
	}{{"from " + from, attemptsFrom}, {"pair " + from + " " + name, attemptsPair}}
	if !g.known[a.who] {
		limits = append(limits, struct {
			key   string
			burst int
		}{"name " + name, attemptsName})
	}
	for _, l := range limits {
		r := g.limiter(l.key, l.burst, now).ReserveN(now, 1)
		if !r.OK() || r.DelayFrom(now) > 0 {
			r.CancelAt(now)
			return a, false // what was counted before stays so
		}
		a.taken = append(a.taken, r)
	}
	return a, true
}

// right gives an attempt back that was no guess.
func (a attempt) right() {
	a.of.mu.Lock()
	defer a.of.mu.Unlock()
	for _, r := range a.taken {
		r.CancelAt(a.at)
	}
	if len(a.of.known) >= rememberTries {
		clear(a.of.known)
	}
	a.of.known[a.who] = true
}

// limiter returns that of a key. Where there are too many, those go that are as good as new; if that is not enough, all new keys
// share one.
func (g *guesses) limiter(key string, burst int, now time.Time) *rate.Limiter {
	l := g.tries[key]
	if l != nil {
		return l
	}
	if len(g.tries) >= rememberTries {
		for k, old := range g.tries {
			if old.TokensAt(now) >= float64(old.Burst()) {
				delete(g.tries, k)
			}
		}
		if len(g.tries) >= rememberTries {
			key = "all others"
			if l = g.tries[key]; l != nil {
				return l
			}
		}
	}
	l = rate.NewLimiter(rate.Every(attemptEvery), burst)
	g.tries[key] = l
	return l
}

// place is what counts as one address: of IPv6 the net that one subscriber has.
func place(from string) string {
	a, err := netip.ParseAddr(from)
	if err != nil {
		return from
	}
	if a = a.Unmap(); a.Is6() {
		if p, err := a.Prefix(64); err == nil {
			return p.String()
		}
	}
	return a.String()
}
