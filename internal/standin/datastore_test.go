package standin

import (
	"errors"
	"io"
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// access is an edit of a port's access VLAN, with an operation on the leaf.
func access(portName, vlan, operation string) *xmlnode.Node {
	ns := namespaces
	leaf := xmlnode.Leaf(ns["oc-vlan"], "access-vlan", vlan)
	if operation != "" {
		netconf.MarkEdit(leaf, operation)
	}
	return xmlnode.New("", "config", xmlnode.New(ns["oc-if"], "interfaces", xmlnode.New(ns["oc-if"], "interface", xmlnode.Leaf(ns["oc-if"], "name", portName),
		xmlnode.New(ns["oc-eth"], "ethernet", xmlnode.New(ns["oc-vlan"], "switched-vlan", xmlnode.New(ns["oc-vlan"], "config", leaf))))))
}

func tree() *xmlnode.Node { return TernHaven().Devices[3].config() } // th-sw-02

func TestEditOperations(t *testing.T) {
	for name, tc := range map[string]struct {
		operation, vlan string
		want            int
		tag             string
	}{
		"merge":                  {"", "40", 40, ""},
		"merge, said":            {netconf.EditMerge, "40", 40, ""},
		"replace":                {netconf.EditReplace, "40", 40, ""},
		"create of what is":      {netconf.EditCreate, "40", 20, netconf.TagDataExists},
		"delete":                 {netconf.EditDelete, "20", 0, ""},
		"remove":                 {netconf.EditRemove, "20", 0, ""},
		"value that cannot be":   {"", "4095", 20, netconf.TagInvalidValue},
		"operation that is none": {"jump", "40", 20, netconf.TagBadAttribute},
	} {
		t.Run(name, func(t *testing.T) {
			before := tree()
			after, err := edit(before, access("1/1/7", tc.vlan, tc.operation), netconf.EditMerge)
			assert.True(t, xmlnode.Equal(tree(), before), "what was given stays as it was")
			if tc.tag != "" {
				assert.True(t, netconf.IsTag(err, tc.tag), "%v", err)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, tc.want, compile(after).ports["1/1/7"].untagged)
		})
	}
}

func TestRemoveOfWhatIsNotIsFineAndDeleteIsNot(t *testing.T) {
	without, err := edit(tree(), access("1/1/7", "20", netconf.EditDelete), netconf.EditMerge)
	require.NoError(t, err)
	_, err = edit(without, access("1/1/7", "20", netconf.EditRemove), netconf.EditMerge)
	require.NoError(t, err)
	_, err = edit(without, access("1/1/7", "20", netconf.EditDelete), netconf.EditMerge)
	assert.True(t, netconf.IsTag(err, netconf.TagDataMissing))
}

func TestDefaultOperationNoneTouchesOnlyWhatSaysOtherwise(t *testing.T) {
	after, err := edit(tree(), access("1/1/7", "40", ""), "none")
	require.NoError(t, err)
	assert.Equal(t, 20, compile(after).ports["1/1/7"].untagged)
	after, err = edit(tree(), access("1/1/7", "40", netconf.EditReplace), "none")
	require.NoError(t, err)
	assert.Equal(t, 40, compile(after).ports["1/1/7"].untagged)
}

func TestReplaceOfAContainerForgetsTheRest(t *testing.T) {
	ns := namespaces["oc-vlan"]
	e := access("1/1/25", "20", "")
	config := e.Find("interfaces/interface/ethernet/switched-vlan/config")
	config.Children = append([]*xmlnode.Node{xmlnode.Leaf(ns, "interface-mode", "ACCESS")}, config.Children...)
	netconf.MarkEdit(config, netconf.EditReplace)
	after, err := edit(tree(), e, netconf.EditMerge)
	require.NoError(t, err)
	assert.Equal(t, 20, compile(after).ports["1/1/25"].untagged)
	assert.False(t, compile(after).ports["1/1/25"].passesTagged(30), "the tagged ones are gone")
	require.NoError(t, validate(after))
}

// Merging the same edit twice is merging it once.
func TestMergeIsIdempotent(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		e := access(rapid.SampledFrom([]string{"1/1/7", "1/1/8", "1/1/10"}).Draw(t, "port"), rapid.SampledFrom([]string{"20", "30", "40"}).Draw(t, "vlan"), "")
		once, err := edit(tree(), e, netconf.EditMerge)
		require.NoError(t, err)
		twice, err := edit(once, e, netconf.EditMerge)
		require.NoError(t, err)
		assert.True(t, xmlnode.Equal(once, twice))
	})
}

func TestEveryDeviceIsSetUpSoThatItFindsItselfGood(t *testing.T) {
	for _, d := range TernHaven().Devices {
		require.NoError(t, validate(d.config()), d.Name)
		for _, n := range d.config().Children {
			require.NoError(t, editNode(xmlnode.New("", "data"), schema, n, netconf.EditMerge, ""), d.Name)
		}
	}
}

func TestVLANRange(t *testing.T) {
	for text, want := range map[string][2]int{"1": {1, 1}, "20..25": {20, 25}, "4094": {4094, 4094}} {
		low, high, err := vlanRange(text)
		require.NoError(t, err)
		assert.Equal(t, want, [2]int{low, high})
	}
	for _, text := range []string{"", "0", "4095", "5..3", "1..", "..3", "1-3"} {
		assert.Error(t, vlanOrRange(text), "%q", text)
	}
}

func TestShutGateLetsNothingThroughAndLosesNothing(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	g := newGate()
	gl := newGatedListener(l, g)
	t.Cleanup(func() { _ = gl.Close() })
	accepted := make(chan net.Conn, 1)
	go func() {
		if c, err := gl.Accept(); err == nil {
			accepted <- c
		}
	}()
	client, err := net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	defer func() { _ = client.Close() }()
	server := <-accepted
	got := make(chan string, 1)
	go func() {
		b := make([]byte, 5)
		_, _ = io.ReadFull(server, b)
		got <- string(b)
	}()
	g.set(false)
	_, err = client.Write([]byte("hello"))
	require.NoError(t, err)
	select {
	case s := <-got:
		require.Fail(t, "it came through", s)
	case <-time.After(50 * time.Millisecond):
	}
	g.set(true)
	assert.Equal(t, "hello", <-got)

	g.set(false)
	gl.setDown(true) // a reboot drops what waits
	_, err = server.Write([]byte("x"))
	require.True(t, errors.Is(err, net.ErrClosed), "%v", err)
}
