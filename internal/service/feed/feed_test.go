package feed_test

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/store"
)

// journal is a store whose disk can be full.
type journal struct {
	*store.Store
	full atomic.Bool
}

func (j *journal) AddFacts(ctx context.Context, list []fact.Fact) error {
	if j.full.Load() {
		return errors.New("database or disk is full")
	}
	return j.Store.AddFacts(ctx, list)
}

func open(t *testing.T) (*feed.Feed, *journal) {
	t.Helper()
	s, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	j := &journal{Store: s}
	f, err := feed.New(t.Context(), j, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	t.Cleanup(f.Close)
	return f, j
}

// nth is a fact that is told apart by its number.
func nth(n int) fact.Fact {
	return fact.Of(time.Unix(1, 0), fact.ThePort(fmt.Sprint("sw-", n%5), strconv.Itoa(n)), fact.LinkBack{})
}

func next(t *testing.T, s *feed.Follower) feed.Item {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	item, err := s.Next(ctx)
	require.NoError(t, err)
	return item
}

func TestFactsComeInOrderToWhoWantsThem(t *testing.T) {
	t.Parallel()
	f, _ := open(t)
	ports := f.Follow(feed.Wants{Kinds: []fact.Kind{fact.Port}})
	devices := f.Follow(feed.Wants{Kinds: []fact.Kind{fact.Device}})
	defer ports.Close()
	defer devices.Close()
	for i := range 20 {
		f.Tell(nth(i))
	}
	f.Tell(fact.Of(time.Unix(2, 0), fact.TheDevice("th-sw-01"), fact.DeviceConnected{}))
	last := int64(0)
	for i := range 20 {
		got := next(t, ports).Fact
		assert.Equal(t, strconv.Itoa(i), got.Subject.Name)
		assert.Greater(t, got.Number, last)
		last = got.Number
	}
	assert.Equal(t, "th-sw-01", next(t, devices).Fact.Subject.OnDevice())
	_, more, err := ports.Take(t.Context())
	require.NoError(t, err)
	assert.False(t, more)
	assert.Zero(t, ports.Behind(), "what it does not want it need not have had")
}

// Of many alike states the last one counts, and nobody gets those that he does not want.
func TestStatesAreToldOnceHoweverOften(t *testing.T) {
	t.Parallel()
	f, _ := open(t)
	s, other := f.Follow(feed.Wants{States: []fact.Kind{fact.Readings}}), f.Follow(feed.Wants{})
	defer s.Close()
	defer other.Close()
	for i := range 10_000 {
		f.Note(fact.State{Kind: fact.Readings, Device: fmt.Sprint("sw-", i%3)}, fact.State{Kind: fact.Fleet})
	}
	for i := range 3 {
		assert.Equal(t, fact.State{Kind: fact.Readings, Device: fmt.Sprint("sw-", i)}, *next(t, s).State)
	}
	_, more, _ := s.Take(t.Context())
	assert.False(t, more)
	_, more, _ = other.Take(t.Context())
	assert.False(t, more)
	f.Note(fact.State{Kind: fact.Readings, Device: "sw-1"})
	assert.Equal(t, "sw-1", next(t, s).State.Device, "it comes again")
}

// One that stands still delays neither who tells nor who follows, and misses nothing: what memory no longer holds, it reads from the journal.
func TestASlowFollowerDelaysNobodyAndMissesNothing(t *testing.T) {
	t.Parallel()
	const many = 6000 // more than are remembered
	f, _ := open(t)
	slow, quick := f.Follow(feed.Wants{}), f.Follow(feed.Wants{})
	defer slow.Close()
	defer quick.Close()
	stuck := make(chan struct{})
	var wg sync.WaitGroup
	ctx, stop := context.WithCancel(t.Context())
	defer wg.Wait()
	defer stop()
	handled := 0
	all := make(chan struct{})
	require.NoError(t, f.Durable(ctx, &wg, "stuck", feed.Wants{}, func(ctx context.Context, x fact.Fact) error {
		select {
		case <-stuck:
		case <-ctx.Done():
			return ctx.Err()
		}
		assert.Equal(t, strconv.Itoa(handled), x.Subject.Name)
		if handled++; handled == 50 {
			close(all)
		}
		return nil
	}))
	for i := range many {
		f.Tell(nth(i))
	}
	for i := range many {
		require.Equal(t, strconv.Itoa(i), next(t, quick).Fact.Subject.Name)
	}
	for i := range many {
		require.Equal(t, strconv.Itoa(i), next(t, slow).Fact.Subject.Name)
	}
	close(stuck)
	<-all
}

func TestGoingOnAfterAFact(t *testing.T) {
	t.Parallel()
	f, _ := open(t)
	for i := range 5 {
		f.Tell(nth(i))
	}
	f.Settle()
	s, missed := f.FollowAfter(t.Context(), feed.Wants{}, 3)
	require.False(t, missed)
	assert.EqualValues(t, 2, s.Behind())
	assert.Equal(t, "3", next(t, s).Fact.Subject.Name)
	assert.Equal(t, "4", next(t, s).Fact.Subject.Name)
	s, missed = f.FollowAfter(t.Context(), feed.Wants{}, 5)
	require.False(t, missed)
	_, more, _ := s.Take(t.Context())
	assert.False(t, more)
	_, missed = f.FollowAfter(t.Context(), feed.Wants{}, 1_700_000_000_000_000)
	assert.True(t, missed, "a number of nobody")
}

// While the journal takes nothing, who looks on is told without numbers, and who has to have each fact waits; after that all are kept, once.
func TestAFullDiskDelaysTheJournalAndLosesNothing(t *testing.T) {
	t.Parallel()
	f, j := open(t)
	var wg sync.WaitGroup
	ctx, stop := context.WithCancel(t.Context())
	defer wg.Wait()
	defer stop()
	durable := make(chan string, 10)
	require.NoError(t, f.Durable(ctx, &wg, "ledger", feed.Wants{}, func(_ context.Context, x fact.Fact) error {
		durable <- x.Subject.Name
		return nil
	}))
	look := f.Follow(feed.Wants{})
	defer look.Close()
	j.full.Store(true)
	f.Tell(nth(0), nth(1))
	for i := range 2 {
		got := next(t, look).Fact
		assert.Equal(t, strconv.Itoa(i), got.Subject.Name)
		assert.Zero(t, got.Number)
	}
	f.Settle() // in vain, and soon
	assert.Empty(t, durable)
	j.full.Store(false)
	assert.Equal(t, []string{"0", "1"}, []string{<-durable, <-durable})
	_, newest, err := j.FactBounds(t.Context())
	require.NoError(t, err)
	assert.EqualValues(t, 2, newest)
}

// One that cannot deal with a fact gets it again, and the others after it.
func TestWhatCannotBeDealtWithIsTriedAgain(t *testing.T) {
	t.Parallel()
	f, _ := open(t)
	var wg sync.WaitGroup
	ctx, stop := context.WithCancel(t.Context())
	got := make(chan string, 10)
	failed := false
	require.NoError(t, f.Durable(ctx, &wg, "mail", feed.Wants{Kinds: []fact.Kind{fact.Port}}, func(_ context.Context, x fact.Fact) error {
		got <- x.Subject.Name
		if !failed {
			failed = true
			return errors.New("the server is away")
		}
		return nil
	}))
	f.Tell(nth(0), nth(1))
	assert.Equal(t, []string{"0", "0", "1"}, []string{<-got, <-got, <-got})
	stop()
	wg.Wait()
}

// Where it cannot be read how far one had come, it does not begin anew: it would pass over what happened meanwhile.
func TestADurableFollowerDoesNotBeginAnewByMistake(t *testing.T) {
	t.Parallel()
	f, _ := open(t)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	var wg sync.WaitGroup
	require.ErrorIs(t, f.Durable(ctx, &wg, "mail", feed.Wants{}, nil), context.Canceled)
}

// The service is killed again and again, while facts are told and dealt with. Each that was in the journal comes to who follows, at least once and in order.
func TestKilledAtAnyMoment(t *testing.T) {
	dir := t.TempDir()
	acknowledged := 0
	r := rand.New(rand.NewPCG(1, 2))
	for range 12 {
		cmd := exec.CommandContext(t.Context(), os.Args[0], "-test.run=^$")
		cmd.Env = append(os.Environ(), "FEED_VICTIM="+dir, "FEED_FROM="+strconv.Itoa(acknowledged))
		out, err := cmd.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, cmd.Start())
		lines := bufio.NewScanner(out)
		for n := 3 + r.IntN(40); n > 0 && lines.Scan(); n-- {
			if acknowledged, err = strconv.Atoi(lines.Text()); err != nil {
				break
			}
		}
		require.NoError(t, cmd.Process.Kill())
		for lines.Scan() { // what it said before it died
			if n, err := strconv.Atoi(lines.Text()); err == nil {
				acknowledged = n
			}
		}
		_ = cmd.Wait()
	}
	require.Positive(t, acknowledged)
	s, err := store.Open(t.Context(), filepath.Join(dir, "x.db"))
	require.NoError(t, err)
	defer func() { assert.NoError(t, s.Close()) }()
	facts, err := s.FactsAfter(t.Context(), 0, 1_000_000)
	require.NoError(t, err)
	told := map[string]bool{}
	for _, x := range facts {
		told[x.Subject.Name] = true
	}
	for i := range acknowledged {
		require.True(t, told[strconv.Itoa(i)], "%d was acknowledged, and is gone", i)
	}
	// Who follows took note of each number, in a file.
	b, err := os.ReadFile(filepath.Join(dir, "followed"))
	require.NoError(t, err)
	followed, last, again := map[int64]bool{}, int64(0), 0
	for line := range strings.Lines(string(b)) {
		n, err := strconv.ParseInt(strings.TrimSpace(line), 10, 64)
		if err != nil {
			continue // torn by the kill
		}
		if n <= last {
			require.Equal(t, last, n, "only the one at which it was killed comes again")
			again++
		}
		last, followed[n] = n, true
	}
	for _, x := range facts {
		require.True(t, x.Number > last || followed[x.Number], "fact %d was passed over", x.Number)
	}
	t.Logf("%d facts acknowledged, %d kept, %d followed, %d of them twice", acknowledged, len(facts), len(followed), again)
}

// victim tells facts and follows them until it is killed.
func victim(dir string, from int) error {
	ctx := context.Background()
	s, err := store.Open(ctx, filepath.Join(dir, "x.db"))
	if err != nil {
		return err
	}
	f, err := feed.New(ctx, s, slog.New(slog.DiscardHandler))
	if err != nil {
		return err
	}
	notes, err := os.OpenFile(filepath.Join(dir, "followed"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	var wg sync.WaitGroup
	err = f.Durable(ctx, &wg, "notes", feed.Wants{}, func(_ context.Context, x fact.Fact) error {
		_, err := fmt.Fprintln(notes, x.Number)
		return err
	})
	if err != nil {
		return err
	}
	for n := from; ; n++ {
		f.Tell(nth(n))
		if n%3 == 0 {
			f.Settle()
			fmt.Println(n + 1)
		}
	}
}

func TestMain(m *testing.M) {
	if dir := os.Getenv("FEED_VICTIM"); dir != "" {
		from, _ := strconv.Atoi(os.Getenv("FEED_FROM"))
		fmt.Println(victim(dir, from))
		os.Exit(1)
	}
	os.Exit(m.Run())
}
