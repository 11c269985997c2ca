package discovery_test

import (
	"errors"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/service/discovery"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/store"
	"example.net/everypost/internal/testing/testhouse"
)

// open is a house beside strangers in a row: the first hears the second and Tern Haven's first switch, and so on; the last hears the
// first again.
func open(t *testing.T) (*discovery.Service, *testhouse.House) {
	t.Helper()
	h := testhouse.New(t)
	h.Stranger("th-sw-07", "192.0.2.7:830", "192.0.2.8")
	h.Stranger("th-sw-08", "192.0.2.8:830", "192.0.2.7", "192.0.2.9", "192.0.2.99")
	h.Stranger("ol-sw-09", "192.0.2.9:830", "192.0.2.7")
	s, err := discovery.New(t.Context(), h.Fleet, h.Inventory, h.Store, h.Sealer, h.Feed, h.Log)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s, h
}

// search runs one to its end.
func search(t *testing.T, s *discovery.Service, h *testhouse.House, r discovery.Request) (d store.Discovery) {
	t.Helper()
	r.User, r.By = "fleet", "ada"
	if r.Password == "" {
		r.Password = "word"
	}
	started, err := s.Start(t.Context(), r)
	require.NoError(t, err)
	h.Until(func() bool {
		list, err := s.Searches(t.Context())
		require.NoError(t, err)
		d = list[0]
		return d.Number == started.Number && d.State != discovery.Running
	}, "the search should end")
	return d
}

func found(t *testing.T, s *discovery.Service) (out []string) {
	t.Helper()
	list, err := s.Found(t.Context())
	require.NoError(t, err)
	for _, f := range list {
		out = append(out, f.Identity.Hostname+" at "+f.Site+" "+f.Via)
	}
	slices.Sort(out)
	return out
}

func TestNeighboursAreFollowedSoFar(t *testing.T) {
	t.Parallel()
	s, h := open(t)
	d := search(t, s, h, discovery.Request{Targets: []string{"192.0.2.7"}})
	assert.Equal(t, [3]any{discovery.Done, 1, 0}, [3]any{d.State, d.Found, d.Silent})
	assert.Equal(t, []string{"th-sw-07 at tern-haven "}, found(t, s), "by the code of the site that its name begins with")
	require.NoError(t, s.Dismiss(t.Context(), []string{"192.0.2.7:830"}))
	assert.Empty(t, found(t, s))

	d = search(t, s, h, discovery.Request{Targets: []string{"192.0.2.7"}, Hops: 1})
	assert.Equal(t, 2, d.Found)
	require.NoError(t, s.Dismiss(t.Context(), []string{"192.0.2.7:830", "192.0.2.8:830"}))
	d = search(t, s, h, discovery.Request{Targets: []string{"192.0.2.7"}, Hops: 5})
	assert.Equal(t, [2]int{3, 1}, [2]int{d.Found, d.Silent}, "each once, and nobody is at the last address")
	assert.Equal(t, []string{"ol-sw-09 at tern-haven th-sw-08, far1", "th-sw-07 at tern-haven ", "th-sw-08 at tern-haven th-sw-07, far0"}, found(t, s),
		"one of no known code stands where its neighbour does")

	d = search(t, s, h, discovery.Request{Targets: []string{"192.0.2.0/28", "th-sw-01"}})
	assert.Equal(t, 1, d.Known, "one that is enrolled is not found again")
}

func TestWhatIsFoundIsAcceptedByItsKey(t *testing.T) {
	t.Parallel()
	s, h := open(t)
	search(t, s, h, discovery.Request{Targets: []string{"192.0.2.7-192.0.2.9"}})
	forbidden := errors.New("not at this site")
	mayAt := func(site string) error {
		if site == "fulmar" {
			return forbidden
		}
		return nil
	}
	results, err := s.Accept(t.Context(), []discovery.Acceptance{
		{Address: "192.0.2.7:830", HostKey: "SHA256:th-sw-07"},
		{Address: "192.0.2.8:830", HostKey: "SHA256:another"},
		{Address: "192.0.2.9:830", HostKey: "SHA256:ol-sw-09", Site: "fulmar"},
		{Address: "192.0.2.77:830", HostKey: "SHA256:x"},
	}, "ada", mayAt)
	require.NoError(t, err)
	require.Len(t, results, 4)
	require.NoError(t, results[0].Err)
	assert.Equal(t, "th-sw-07", results[0].Device)
	require.ErrorIs(t, results[1].Err, inventory.ErrNotAccepted)
	require.ErrorIs(t, results[2].Err, forbidden)
	require.ErrorIs(t, results[3].Err, store.ErrNotFound)
	require.NoError(t, h.Fleet.Await(t.Context(), "th-sw-07"), "it is in hand, with the password of the search")
	assert.Len(t, found(t, s), 2, "the others wait")
	results, err = s.Accept(t.Context(), []discovery.Acceptance{{Address: "192.0.2.9:830", HostKey: "SHA256:ol-sw-09", Site: "tern-haven", Name: "th-sw-09"}}, "ada", mayAt)
	require.NoError(t, err)
	require.NoError(t, results[0].Err)
	assert.Equal(t, "th-sw-09", results[0].Device)
}

func TestASearchThatCannotBe(t *testing.T) {
	t.Parallel()
	s, h := open(t)
	for says, r := range map[string]discovery.Request{
		"give an address to begin with": {User: "fleet", Targets: []string{" "}},
		"give the user name":            {Targets: []string{"192.0.2.7"}},
		"0 to 32 hops":                  {User: "fleet", Targets: []string{"192.0.2.7"}, Hops: 33},
		"192.0.2.1-":                    {User: "fleet", Targets: []string{"192.0.2.1-"}},
		"at most":                       {User: "fleet", Targets: []string{"10.0.0.0/20", "10.1.0.0/20"}},
	} {
		_, err := s.Start(t.Context(), r)
		assert.ErrorContains(t, err, says)
	}
	require.ErrorIs(t, s.Cancel(7), store.ErrNotFound)
	d := search(t, s, h, discovery.Request{Targets: []string{"192.0.2.7"}, Password: "guess"})
	assert.Equal(t, 0, d.Found)
	assert.Len(t, d.Refused, 1, "who does not let us in is told of")
}
