package snmp

import (
	"net"
	"net/netip"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/testing/peers"
)

// running is an agent of a made-up lighthouse, and where it answers.
func running(t *testing.T, a *Agent) string {
	t.Helper()
	a.EngineID, a.Boots, a.Began = "\x80\x00\x00\x00\x04lighthouse", 3, time.Now().Add(-time.Hour)
	lamp := "keeper"
	var mu sync.Mutex
	a.Objects = func() []Object {
		mu.Lock()
		defer mu.Unlock()
		return []Object{
			{"1.3.6.1.2.1.1.3.0", gosnmp.TimeTicks, uint32(360_000)},
			{"1.3.6.1.2.1.1.4.0", gosnmp.OctetString, lamp},
			{"1.3.6.1.2.1.2.2.1.10.10", gosnmp.Counter32, uint32(4_000_000_000)},
			{"1.3.6.1.2.1.2.2.1.10.2", gosnmp.Counter32, uint32(7)},
			{"1.3.6.1.2.1.31.1.1.1.6.2", gosnmp.Counter64, uint64(1) << 40},
			{"1.3.6.1.2.1.1.2.0", gosnmp.ObjectIdentifier, "1.3.6.1.4.1.32473.1"},
		}
	}
	a.Set = func(_ string, list []Object) error {
		mu.Lock()
		defer mu.Unlock()
		for _, o := range list {
			text, ok := o.Value.([]byte)
			switch {
			case o.OID != "1.3.6.1.2.1.1.4.0":
				return Refusal(gosnmp.NotWritable)
			case !ok:
				return Refusal(gosnmp.WrongType)
			}
			lamp = string(text)
		}
		return nil
	}
	c, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	var wg sync.WaitGroup
	wg.Go(func() {
		Serve(c, func() *Agent {
			now := *a
			now.Now = time.Now()
			return &now
		})
	})
	t.Cleanup(func() {
		_ = c.Close()
		wg.Wait()
	})
	return c.LocalAddr().String()
}

const contact = ".1.3.6.1.2.1.1.4.0"

func TestAnIndependentManagerAsksByCommunity(t *testing.T) {
	t.Parallel()
	at := running(t, &Agent{Versions: []gosnmp.SnmpVersion{gosnmp.Version2c}, Communities: []Community{
		{Word: "herring"}, {Word: "gannet", Write: true}, {Word: "puffin", From: []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8")}},
	}})
	ask := func(word string) []string { return []string{"-v2c", "-c", word, at} }
	assert.Equal(t, contact+` = STRING: "keeper"`, peers.SNMP(t, "snmpget", append(ask("herring"), contact)...))
	assert.Equal(t, `.1.3.6.1.2.1.1.9.0 = No Such Instance currently exists at this OID`, peers.SNMP(t, "snmpget", append(ask("herring"), ".1.3.6.1.2.1.1.9.0")...))
	for _, walk := range []string{"snmpwalk", "snmpbulkwalk"} {
		assert.Equal(t, strings.Join([]string{
			".1.3.6.1.2.1.1.2.0 = OID: .1.3.6.1.4.1.32473.1",
			".1.3.6.1.2.1.1.3.0 = Timeticks: (360000) 1:00:00.00",
			contact + ` = STRING: "keeper"`,
			".1.3.6.1.2.1.2.2.1.10.2 = Counter32: 7",
			".1.3.6.1.2.1.2.2.1.10.10 = Counter32: 4000000000",
			".1.3.6.1.2.1.31.1.1.1.6.2 = Counter64: 1099511627776",
		}, "\n"), strings.TrimSuffix(peers.SNMP(t, walk, append(ask("herring"), ".1.3.6.1.2.1")...), "\n.1.3.6.1.2.1.31.1.1.1.6.2 = No more variables left in this MIB View (It is past the end of the MIB tree)"), walk)
	}
	assert.Contains(t, peers.SNMP(t, "snmpget", append(ask("cormorant"), contact)...), "Timeout", "who does not know the word is not answered")
	assert.Contains(t, peers.SNMP(t, "snmpget", append(ask("puffin"), contact)...), "Timeout", "nor who asks from elsewhere")
	assert.Contains(t, peers.SNMP(t, "snmpget", "-v1", "-c", "herring", at, contact), "Timeout", "nor in a version that is off")

	assert.Contains(t, peers.SNMP(t, "snmpset", append(ask("herring"), contact, "s", "wren")...), "noAccess")
	assert.Contains(t, peers.SNMP(t, "snmpset", append(ask("gannet"), contact, "i", "7")...), "wrongType")
	assert.Contains(t, peers.SNMP(t, "snmpset", append(ask("gannet"), ".1.3.6.1.2.1.1.3.0", "t", "7")...), "notWritable")
	assert.Equal(t, contact+` = STRING: "wren"`, peers.SNMP(t, "snmpset", append(ask("gannet"), contact, "s", "wren")...))
	assert.Equal(t, contact+` = STRING: "wren"`, peers.SNMP(t, "snmpget", append(ask("herring"), contact)...))
}

func TestAnIndependentManagerAsksAsAUser(t *testing.T) {
	t.Parallel()
	at := running(t, &Agent{Versions: []gosnmp.SnmpVersion{gosnmp.Version3}, Users: []User{
		{Name: "open", Auth: gosnmp.NoAuth, Privacy: gosnmp.NoPriv},
		{Name: "proven", Auth: gosnmp.SHA, AuthSecret: "herring-gull-7", Privacy: gosnmp.NoPriv},
		{Name: "hidden", Auth: gosnmp.SHA256, AuthSecret: "herring-gull-7", Privacy: gosnmp.AES, PrivacySecret: "kittiwake-22", Write: true},
	}})
	as := func(user, level string, more ...string) []string {
		return append([]string{"-v3", "-u", user, "-l", level}, append(more, at, contact)...)
	}
	good := contact + ` = STRING: "keeper"`
	sha := []string{"-a", "SHA", "-A", "herring-gull-7"}
	sha256 := []string{"-a", "SHA-256", "-A", "herring-gull-7", "-x", "AES", "-X", "kittiwake-22"}
	assert.Equal(t, good, peers.SNMP(t, "snmpget", as("open", "noAuthNoPriv")...))
	assert.Equal(t, good, peers.SNMP(t, "snmpget", as("proven", "authNoPriv", sha...)...))
	assert.Equal(t, good, peers.SNMP(t, "snmpget", as("hidden", "authPriv", sha256...)...))
	assert.Equal(t, 6, strings.Count(peers.SNMP(t, "snmpbulkwalk", append(append([]string{"-v3", "-u", "hidden", "-l", "authPriv"}, sha256...), at, ".1.3.6.1.2.1")...), "\n"))
	assert.Contains(t, peers.SNMP(t, "snmpset", append(as("proven", "authNoPriv", sha...), "s", "wren")...), "noAccess")
	assert.Equal(t, contact+` = STRING: "wren"`, peers.SNMP(t, "snmpset", append(as("hidden", "authPriv", sha256...), "s", "wren")...))

	for name, c := range map[string]struct {
		args []string
		want string
	}{
		"nobody":       {as("nobody", "noAuthNoPriv"), "Unknown user name"},
		"wrong secret": {as("proven", "authNoPriv", "-a", "SHA", "-A", "wrong-secret-1"), "Authentication failure"},
		"wrong hiding": {as("hidden", "authPriv", "-a", "SHA-256", "-A", "herring-gull-7", "-x", "AES", "-X", "wrong-secret-1"), "Timeout"},
		"too open":     {as("hidden", "authNoPriv", "-a", "SHA-256", "-A", "herring-gull-7"), "Unsupported security level"},
		"by community": {[]string{"-v2c", "-c", "open", at, contact}, "Timeout"},
	} {
		out := peers.SNMP(t, "snmpget", c.args...)
		assert.NotContains(t, out, "keeper", name)
		if name != "wrong hiding" { // which cannot be told from a wrong proof once it is open
			assert.Contains(t, out, c.want, name)
		}
	}
}

// A clock that is far off is told the right time, and nothing else.
func TestAnOldMessageIsNotAnsweredAgain(t *testing.T) {
	t.Parallel()
	a := &Agent{Versions: []gosnmp.SnmpVersion{gosnmp.Version3}, Users: []User{{Name: "proven", Auth: gosnmp.SHA, AuthSecret: "herring-gull-7"}}}
	running(t, a)
	a.Now = time.Now()
	p := a.params(a.Users[0])
	p.AuthoritativeEngineTime -= 151
	question := encode(&gosnmp.SnmpPacket{Version: gosnmp.Version3, PDUType: gosnmp.GetRequest, MsgID: 7, RequestID: 9, MsgMaxSize: 65_507, SecurityModel: gosnmp.UserSecurityModel,
		MsgFlags: gosnmp.AuthNoPriv | gosnmp.Reportable, SecurityParameters: p, ContextEngineID: a.EngineID, Variables: []gosnmp.SnmpPDU{{Name: contact, Type: gosnmp.Null}}})
	require.NotEmpty(t, question)
	answer, err := a.decode(a.Answer(question, netip.MustParseAddr("127.0.0.1")), a.params(a.Users[0]), gosnmp.AuthNoPriv)
	require.NoError(t, err)
	assert.Equal(t, gosnmp.Report, answer.PDUType)
	assert.Equal(t, uint32(7), answer.MsgID)
	assert.Equal(t, statNotInTime, answer.Variables[0].Name)
}

func FuzzAnswer(f *testing.F) {
	a := &Agent{EngineID: "\x80\x00\x00\x00\x04lighthouse", Versions: []gosnmp.SnmpVersion{gosnmp.Version2c, gosnmp.Version3}, Communities: []Community{{Word: "herring"}},
		Users: []User{{Name: "open"}}, Objects: func() []Object { return []Object{{"1.3.6.1.2.1.1.4.0", gosnmp.OctetString, "keeper"}} }}
	f.Add(encode(&gosnmp.SnmpPacket{Version: gosnmp.Version2c, Community: "herring", PDUType: gosnmp.GetBulkRequest, MaxRepetitions: 5, Variables: []gosnmp.SnmpPDU{{Name: contact, Type: gosnmp.Null}}}))
	f.Add(encode(&gosnmp.SnmpPacket{Version: gosnmp.Version3, PDUType: gosnmp.GetRequest, MsgMaxSize: 65_507, SecurityModel: gosnmp.UserSecurityModel, MsgFlags: gosnmp.Reportable,
		SecurityParameters: a.params(a.Users[0]), ContextEngineID: a.EngineID, Variables: []gosnmp.SnmpPDU{{Name: contact, Type: gosnmp.Null}}}))
	f.Fuzz(func(t *testing.T, message []byte) {
		assert.LessOrEqual(t, len(a.Answer(message, netip.MustParseAddr("127.0.0.1"))), 65_507)
	})
}
