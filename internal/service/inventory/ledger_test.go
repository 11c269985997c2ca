package inventory

import (
	"log/slog"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/store"
)

func openLedger(t *testing.T) (*ledger, *store.Store) {
	t.Helper()
	s, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	require.NoError(t, s.PutSite(t.Context(), network.Site{Name: "here", Title: "Here"}))
	require.NoError(t, s.AddDevice(t.Context(), store.Device{Name: "sw", Site: "here", Address: "sw:830", Secret: []byte{1}, Identity: network.Identity{Serial: "S"}, EnrolledAt: time.Unix(0, 0), SeenAt: time.Unix(0, 0)}))
	f, err := feed.New(t.Context(), s, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	t.Cleanup(f.Close)
	return newLedger(s, f, slog.New(slog.DiscardHandler)), s
}

func TestWhatIsSeenIsWrittenInOrder(t *testing.T) {
	l, s := openLedger(t)
	at := time.Now().UTC()
	for range 1200 {
		l.feed.Tell(fact.Of(at, fact.ThePort("sw", "1"), fact.LinkBack{}))
	}
	for _, address := range []network.OperStatus{network.Up, network.Down} {
		l.observation(store.Observation{Device: "sw", At: at, State: network.State{Ports: map[string]network.PortState{"1": {Oper: address}}}})
	}
	l.observation(store.Observation{Device: "forgotten", At: at})
	l.drain()
	list, err := s.Events(t.Context(), store.EventQuery{Limit: 2000})
	require.NoError(t, err)
	assert.Len(t, list, 1200, "what happened is kept before what became of it")
	ports, err := s.PortStates(t.Context(), "sw")
	require.NoError(t, err)
	assert.Equal(t, network.Down, ports["1"].Oper, "the newest stays")
	l.mu.Lock()
	assert.Empty(t, l.seen, "of a device that is not there nothing waits for ever")
	l.mu.Unlock()
	l.observation(store.Observation{Device: "sw", At: at, State: network.State{Ports: map[string]network.PortState{"1": {Oper: network.Up}}}})
	l.close()
	ports, err = s.PortStates(t.Context(), "sw")
	require.NoError(t, err)
	assert.Equal(t, network.Up, ports["1"].Oper, "what is left is written at the end")
	require.NoError(t, s.Close())
}

// A store that takes nothing holds nobody up.
func TestABrokenStoreHoldsUpNobody(t *testing.T) {
	l, s := openLedger(t)
	require.NoError(t, s.Close())
	for range 1000 {
		l.observation(store.Observation{Device: "sw", At: time.Now()})
	}
	l.drain() // tried in vain
	l.close()
}
