package topology

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/network"
)

// Between is held against all ways that pass no device twice, found one by one.
func TestBetweenFindsTheLinksOfAllWays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(2, 7).Draw(t, "devices")
		var links []Link
		for i := range rapid.IntRange(0, 12).Draw(t, "links") {
			a, b := rapid.IntRange(0, n-1).Draw(t, "a"), rapid.IntRange(0, n-1).Draw(t, "b")
			if a == b {
				continue
			}
			links = append(links, Link{A: network.PortRef{Device: fmt.Sprint(a), Port: fmt.Sprint(i)}, B: network.PortRef{Device: fmt.Sprint(b), Port: fmt.Sprint(i)}})
		}
		want := map[Link]bool{}
		var walk func(at string, passed map[string]bool, way []Link)
		walk = func(at string, passed map[string]bool, way []Link) {
			if at == "1" {
				for _, l := range way {
					want[l] = true
				}
				return
			}
			for _, l := range links {
				if l.A.Device != at && l.B.Device != at {
					continue
				}
				_, far := l.Other(at)
				if passed[far.Device] {
					continue
				}
				passed[far.Device] = true
				walk(far.Device, passed, append(way, l))
				delete(passed, far.Device)
			}
		}
		walk("0", map[string]bool{"0": true}, nil)
		got := map[Link]bool{}
		for _, l := range Between(links, func(Link) bool { return true }, "0", "1") {
			got[l] = true
		}
		assert.Equal(t, want, got)
	})
}

func TestBetweenLeavesOutWhatIsNotUsable(t *testing.T) {
	ref := func(d, p string) network.PortRef { return network.PortRef{Device: d, Port: p} }
	straight, round1, round2 := Link{A: ref("a", "1"), B: ref("b", "1")}, Link{A: ref("a", "2"), B: ref("c", "1")}, Link{A: ref("b", "2"), B: ref("c", "2")}
	links := []Link{straight, round1, round2}
	assert.Equal(t, links, Between(links, func(Link) bool { return true }, "a", "b"))
	assert.Equal(t, []Link{straight}, Between(links, func(l Link) bool { return l != round1 }, "a", "b"))
	assert.Empty(t, Between(links, func(l Link) bool { return l == round1 }, "a", "b"))
	assert.Empty(t, Between(links, func(Link) bool { return true }, "a", "a"))
}
