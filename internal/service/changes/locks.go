package changes

import "sync"

// locks are locks by number, so that work on the record of one change holds up no other.
type locks struct {
	mu   sync.Mutex
	held map[int64]*held
}

type held struct {
	mu   sync.Mutex
	want int // who hold it or wait for it
}

// lock waits until nobody holds the lock of a number, and returns what gives it back.
func (l *locks) lock(number int64) (unlock func()) {
	l.mu.Lock()
	h := l.held[number]
	if h == nil {
		h = &held{}
		l.held[number] = h
	}
	h.want++
	l.mu.Unlock()
	h.mu.Lock()
	return func() {
		h.mu.Unlock()
		l.mu.Lock()
		defer l.mu.Unlock()
		if h.want--; h.want == 0 {
			delete(l.held, number)
		}
	}
}
