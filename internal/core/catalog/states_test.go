package catalog

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/network"
)

func sight(f func(*Sight)) Sight {
	s := Sight{Reach: network.ReachConnected, Config: network.Config{Ports: map[string]network.PortConfig{"1": {Enabled: true}}},
		State: network.State{Ports: map[string]network.PortState{"1": {Oper: network.Down, Counters: network.Counters{RxOctets: 1}}}}}
	f(&s)
	return s
}

// What is shut because somebody wants it so is not missed; what a guard shut is a fault, and says which.
func TestPortsThatAreShutByTheDevice(t *testing.T) {
	for by, want := range map[string]network.Health{"": network.HealthDown, "schedule": network.Off, "follow": network.Off, "flap-guard": network.HealthDown, "bpdu-guard": network.HealthDown} {
		s := sight(func(s *Sight) {
			p := s.State.Ports["1"]
			p.ShutBy = by
			s.State.Ports["1"] = p
		})
		_, ports := NewDevice(Record{}, s, &Site{}, func(string) string { return "" })
		assert.Equal(t, want, ports[0].Health, by)
		assert.Equal(t, by != "", ports[0].State.ShutWhy() != "", by)
	}
}

func TestADeviceOfWhichNothingCanBeReadIsNotWell(t *testing.T) {
	s := sight(func(s *Sight) {
		s.Identity = network.Identity{Unread: true, Announces: []string{"petrel-boats", "petrel-oars"}}
	})
	d, _ := NewDevice(Record{}, s, &Site{}, func(string) string { return "" })
	assert.Equal(t, network.HealthUnknown, d.Health)
	assert.Equal(t, "It is connected, and nothing of it can be read: of the models that it announces (petrel-boats, petrel-oars) none is known here.", words.English.Trouble(d.Troubles[0]))
	assert.Contains(t, network.Identity{Unread: true, Announces: make([]string, 9)}.UnreadWhy(), "and 3 more")
	assert.Empty(t, network.Identity{}.UnreadWhy())
}

func TestAClockThatIsFarOffIsATrouble(t *testing.T) {
	for ahead, want := range map[int]string{67: "Its clock is 67 s ahead, no server sets it.", -12: "Its clock is 12 s behind, no server sets it.", 9: "", 0: ""} {
		s := sight(func(s *Sight) {
			s.Inside = network.Inside{ObservedAt: time.Now(), Clock: &network.Clock{AheadSeconds: ahead}}
		})
		d, _ := NewDevice(Record{}, s, &Site{}, func(string) string { return "" })
		if want == "" {
			assert.Equal(t, network.Well, d.Health, ahead)
			continue
		}
		assert.Equal(t, network.Degraded, d.Health)
		assert.Equal(t, want, words.English.Trouble(d.Troubles[0]))
	}
}
