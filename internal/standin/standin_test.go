package standin_test

import (
	"bytes"
	"context"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/peers"
	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

const (
	nsIf   = "http://openconfig.net/yang/interfaces"
	nsEth  = "http://openconfig.net/yang/interfaces/ethernet"
	nsVLAN = "http://openconfig.net/yang/vlan"
	nsPoE  = "http://openconfig.net/yang/poe"
)

func start(t *testing.T, o standin.Options) *standin.World {
	t.Helper()
	o.User, o.Password = "fleet", "tidewater"
	w, err := standin.New(standin.TernHaven(), o)
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	return w
}

func open(t *testing.T, w *standin.World, device string, notify func(netconf.Notification)) *netconf.Session {
	t.Helper()
	conn, err := netconf.Dial(t.Context(), w.Address(device), netconf.SSHOptions{
		User: "fleet", Auth: []ssh.AuthMethod{ssh.Password("tidewater")}, HostKey: ssh.FixedHostKey(w.HostKey(device)),
	})
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close() })
	s, err := conn.Open(t.Context(), netconf.Options{Notify: notify})
	require.NoError(t, err)
	return s
}

// port is an edit of one port, with what stands inside its switched-vlan config.
func port(name string, inner ...*xmlnode.Node) []*xmlnode.Node {
	return []*xmlnode.Node{xmlnode.New(nsIf, "interfaces", xmlnode.New(nsIf, "interface", xmlnode.Leaf(nsIf, "name", name),
		xmlnode.New(nsEth, "ethernet", xmlnode.New(nsVLAN, "switched-vlan", xmlnode.New(nsVLAN, "config", inner...)))))}
}

func poe(name string, on string) []*xmlnode.Node {
	return []*xmlnode.Node{xmlnode.New(nsIf, "interfaces", xmlnode.New(nsIf, "interface", xmlnode.Leaf(nsIf, "name", name),
		xmlnode.New(nsEth, "ethernet", xmlnode.New(nsPoE, "poe", xmlnode.New(nsPoE, "config", xmlnode.Leaf(nsPoE, "enabled", on))))))}
}

func commit(t *testing.T, s *netconf.Session, config []*xmlnode.Node) {
	t.Helper()
	require.NoError(t, s.EditConfig(t.Context(), netconf.Candidate, config))
	require.NoError(t, s.Commit(t.Context(), ""))
}

func TestEditsThatAreRefusedChangeNothing(t *testing.T) {
	w := start(t, standin.Options{})
	s := open(t, w, "th-sw-02", nil)
	before := w.Running("th-sw-02")
	leaf := xmlnode.Leaf
	for name, tc := range map[string]struct {
		config []*xmlnode.Node
		tag    string
	}{
		"VLAN 4095":               {port("1/1/7", leaf(nsVLAN, "access-vlan", "4095")), netconf.TagInvalidValue},
		"VLAN that is no number":  {port("1/1/7", leaf(nsVLAN, "access-vlan", "x")), netconf.TagInvalidValue},
		"mode that there is not":  {port("1/1/7", leaf(nsVLAN, "interface-mode", "HYBRID")), netconf.TagInvalidValue},
		"unknown leaf":            {port("1/1/7", leaf(nsVLAN, "colour", "red")), netconf.TagUnknownElement},
		"wrong namespace":         {port("1/1/7", leaf(nsIf, "access-vlan", "40")), netconf.TagUnknownElement},
		"no key":                  {[]*xmlnode.Node{xmlnode.New(nsIf, "interfaces", xmlnode.New(nsIf, "interface"))}, netconf.TagMissingElement},
		"range that runs back":    {port("1/1/25", leaf(nsVLAN, "trunk-vlans", "30..20")), netconf.TagInvalidValue},
		"delete of what is not":   {port("1/1/7", netconf.MarkEdit(leaf(nsVLAN, "native-vlan", "1"), netconf.EditDelete)), netconf.TagDataMissing},
		"create of what is there": {port("1/1/7", netconf.MarkEdit(leaf(nsVLAN, "access-vlan", "20"), netconf.EditCreate)), netconf.TagDataExists},
		"unknown operation":       {port("1/1/7", netconf.MarkEdit(leaf(nsVLAN, "access-vlan", "20"), "twist")), netconf.TagBadAttribute},
	} {
		t.Run(name, func(t *testing.T) {
			err := s.EditConfig(t.Context(), netconf.Candidate, tc.config)
			assert.True(t, netconf.IsTag(err, tc.tag), "%v", err)
			assert.True(t, xmlnode.Equal(before, w.Running("th-sw-02")))
		})
	}
	t.Run("VLAN that the device does not have", func(t *testing.T) {
		require.NoError(t, s.EditConfig(t.Context(), netconf.Candidate, port("1/1/7", leaf(nsVLAN, "access-vlan", "77"))))
		assert.True(t, netconf.IsTag(s.Validate(t.Context(), netconf.Candidate), netconf.TagDataMissing))
		assert.ErrorContains(t, s.Commit(t.Context(), ""), "VLAN 77 is not defined")
		assert.True(t, xmlnode.Equal(before, w.Running("th-sw-02")))
	})
}

func TestWithDefaults(t *testing.T) {
	w := start(t, standin.Options{})
	s := open(t, w, "th-sw-02", nil)
	get := func(mode netconf.DefaultsMode) *xmlnode.Node {
		d, err := s.GetConfig(t.Context(), netconf.Running, []*xmlnode.Node{xmlnode.New(nsIf, "interfaces", xmlnode.New(nsIf, "interface", xmlnode.Leaf(nsIf, "name", "1/1/7")))}, mode)
		require.NoError(t, err)
		return d.Find("interfaces/interface")
	}
	assert.Nil(t, get(netconf.DefaultsTrim).Find("config/enabled"), "true is the default")
	assert.NotNil(t, get(netconf.DefaultsReportAll).Find("config/enabled"))
	assert.Equal(t, "true", get(netconf.DefaultsExplicit).TextAt("config/enabled"))
	_, err := s.GetConfig(t.Context(), netconf.Running, nil, netconf.DefaultsTagged)
	assert.True(t, netconf.IsTag(err, netconf.TagInvalidValue))
}

func TestCutCableDropsBothEndsAndTells(t *testing.T) {
	w := start(t, standin.Options{})
	told := make(chan string, 10)
	s := open(t, w, "th-sw-01", func(n netconf.Notification) {
		if n.Content.Is("port-state-changed") {
			told <- n.Content.TextAt("name") + " " + n.Content.TextAt("oper-status")
		}
	})
	require.NoError(t, s.Subscribe(t.Context(), time.Time{}))
	require.NoError(t, w.Throw(standin.Cut, "th-sw-02:1/1/25"))
	assert.False(t, w.PortUp("th-sw-02:1/1/25"))
	assert.False(t, w.PortUp("th-sw-01:1/1/49"))
	assert.Equal(t, "1/1/49 DOWN", <-told)
	require.NoError(t, w.Throw(standin.Mend, "th-sw-01:1/1/49"))
	assert.Equal(t, "1/1/49 UP", <-told)
}

func TestWrongVLANOnTheUplinkReallyCutsTheDeviceOff(t *testing.T) {
	w := start(t, standin.Options{})
	s := open(t, w, "th-sw-02", nil)
	require.NoError(t, s.EditConfig(t.Context(), netconf.Candidate, port("1/1/25", netconf.MarkEdit(xmlnode.Leaf(nsVLAN, "trunk-vlans", "10"), netconf.EditDelete))))
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	require.Error(t, s.CommitConfirmed(ctx, time.Second, "trial", ""), "the answer cannot come back")
	// The device goes back by itself, and what was sent meanwhile arrives.
	_, err := s.GetConfig(t.Context(), netconf.Running, nil, netconf.DefaultsServer)
	require.NoError(t, err)
	assert.False(t, w.TrialOpen("th-sw-02"))
}

func TestPowerOffTakesTheAccessPointDown(t *testing.T) {
	w := start(t, standin.Options{})
	s := open(t, w, "th-sw-02", nil)
	commit(t, s, poe("1/1/1", "false"))
	assert.False(t, w.PortUp("th-ap-01:eth0"))
	commit(t, s, poe("1/1/1", "true"))
	assert.Eventually(t, func() bool { return w.PortUp("th-ap-01:eth0") }, 10*time.Second, 20*time.Millisecond, "it boots again")
}

func TestPowerOffTakesAPhoneDownAndNotAPrinter(t *testing.T) {
	w := start(t, standin.Options{})
	s := open(t, w, "th-sw-02", nil)
	commit(t, s, poe("1/1/10", "false"))
	commit(t, s, poe("1/1/7", "false"))
	assert.False(t, w.PortUp("th-sw-02:1/1/10"), "the phone lives on PoE")
	assert.True(t, w.PortUp("th-sw-02:1/1/7"), "the printer has its own mains")
}

func TestOnlyWhatIsCommittedForGoodOutlivesAReboot(t *testing.T) {
	saved := map[string]int{}
	w := start(t, standin.Options{Save: func(device string, _ []byte) error { saved[device]++; return nil }})
	before := w.Running("th-sw-02")
	s := open(t, w, "th-sw-02", nil)
	require.NoError(t, s.EditConfig(t.Context(), netconf.Candidate, port("1/1/7", xmlnode.Leaf(nsVLAN, "access-vlan", "40"))))
	require.NoError(t, s.CommitConfirmed(t.Context(), time.Minute, "trial", ""))
	assert.False(t, xmlnode.Equal(before, w.Running("th-sw-02")))
	require.NoError(t, w.Throw(standin.Reboot, "th-sw-02"))
	<-s.Done()
	assert.True(t, xmlnode.Equal(before, w.Running("th-sw-02")))
	assert.Zero(t, saved["th-sw-02"])
}

func TestConfirmedCommitWithoutPersistEndsWithItsSession(t *testing.T) {
	w := start(t, standin.Options{})
	before := w.Running("th-sw-02")
	s := open(t, w, "th-sw-02", nil)
	require.NoError(t, s.EditConfig(t.Context(), netconf.Candidate, port("1/1/7", xmlnode.Leaf(nsVLAN, "access-vlan", "40"))))
	require.NoError(t, s.CommitConfirmed(t.Context(), time.Minute, "", ""))
	require.NoError(t, s.Close())
	assert.Eventually(t, func() bool { return xmlnode.Equal(before, w.Running("th-sw-02")) }, 5*time.Second, 10*time.Millisecond)
}

func TestControlRefuses(t *testing.T) {
	w := start(t, standin.Options{})
	server := httptest.NewServer(w.Control())
	defer server.Close()
	for name, tc := range map[string]struct{ kind, body, says string }{
		"a form":             {"text/plain", `{"fault":"cut","target":"th-sw-02:1/1/7"}`, "application/json"},
		"an unknown fault":   {"application/json", `{"fault":"explode","target":"th-sw-02"}`, "no fault"},
		"an unknown device":  {"application/json", `{"fault":"hang","target":"nobody"}`, "no device"},
		"an unknown port":    {"application/json", `{"fault":"cut","target":"th-sw-02:9/9/9"}`, "no port"},
		"a port without end": {"application/json", `{"fault":"cut","target":"th-sw-02:1/1/24"}`, "no cable"},
		"nonsense":           {"application/json", `{`, "unexpected"},
	} {
		t.Run(name, func(t *testing.T) {
			resp, err := http.Post(server.URL, tc.kind, strings.NewReader(tc.body))
			require.NoError(t, err)
			defer func() { _ = resp.Body.Close() }()
			var b bytes.Buffer
			_, _ = b.ReadFrom(resp.Body)
			assert.Equal(t, http.StatusBadRequest, resp.StatusCode)
			assert.Contains(t, b.String(), tc.says)
		})
	}
	assert.True(t, w.PortUp("th-sw-02:1/1/7"))
}

// script is what an independent NETCONF client does with a stand-in.
const script = `
assert ":candidate" in m.server_capabilities and ":confirmed-commit" in m.server_capabilities
edit = """<config xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"><interfaces xmlns="http://openconfig.net/yang/interfaces"><interface><name>1/1/7</name>
<ethernet xmlns="http://openconfig.net/yang/interfaces/ethernet"><switched-vlan xmlns="http://openconfig.net/yang/vlan"><config><access-vlan>%s</access-vlan></config></switched-vlan></ethernet></interface></interfaces></config>"""
filter = ("subtree", '<interfaces xmlns="http://openconfig.net/yang/interfaces"><interface><name>1/1/7</name></interface></interfaces>')
def vlan():
    return m.get_config("running", filter=filter).data_xml.split("access-vlan>")[1].split("<")[0]
assert vlan() == "20", vlan()
with m.locked("candidate"):
    m.edit_config(edit % 40, target="candidate")
    m.validate("candidate")
    m.commit(confirmed=True, timeout="60", persist="tok")
assert vlan() == "40", vlan()
m.cancel_commit(persist_id="tok")
assert vlan() == "20", vlan()
m.edit_config(edit % 40, target="candidate")
m.commit(confirmed=True, timeout="60", persist="tok")
m.commit(persist_id="tok")
assert vlan() == "40", vlan()
try:
    m.edit_config(edit % 4095, target="candidate")
    raise SystemExit("VLAN 4095 was taken")
except Exception as e:
    assert getattr(e, "tag", "") == "invalid-value", e
m.create_subscription()
sys.stdout.write("subscribed\n"); sys.stdout.flush()
n = m.take_notification(timeout=10)
assert "port-state-changed" in n.notification_xml, n.notification_xml
m.close_session()
print("good")
`

func TestIndependentClient(t *testing.T) {
	w := start(t, standin.Options{})
	cmd := peers.NETCONF(t, w.Address("th-sw-02"), "tidewater", script)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	var complaint bytes.Buffer
	cmd.Stderr = &complaint
	require.NoError(t, cmd.Start())
	var said bytes.Buffer
	buf := make([]byte, 100)
	for {
		n, err := out.Read(buf)
		said.Write(buf[:n])
		if strings.HasSuffix(said.String(), "subscribed\n") {
			require.NoError(t, w.Throw(standin.Cut, "th-sw-02:1/1/14"))
		}
		if err != nil {
			break
		}
	}
	require.NoError(t, cmd.Wait(), complaint.String())
	assert.Contains(t, said.String(), "good")
}
