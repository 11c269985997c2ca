package snmp

import (
	"time"

	"github.com/gosnmp/gosnmp"
)

// header is what stands before the content of a message of SNMPv3 (RFC 3412 section 6, RFC 3414 section 2.4).
type header struct {
	id     int
	flags  gosnmp.SnmpV3MsgFlags
	engine string
	boots  int
	time   int
	user   string
}

// element takes the first element off what is encoded by the basic rules (X.690). encoding/asn1 knows only the distinguished
// ones, to which senders need not keep.
func element(b []byte) (tag byte, content, rest []byte, ok bool) {
	if len(b) < 2 || b[0]&0x1f == 0x1f {
		return 0, nil, nil, false
	}
	tag, n := b[0], int(b[1])
	b = b[2:]
	if n >= 0x80 {
		octets := n & 0x7f
		if octets == 0 || octets > 3 || octets > len(b) {
			return 0, nil, nil, false
		}
		n = 0
		for _, o := range b[:octets] {
			n = n<<8 | int(o)
		}
		b = b[octets:]
	}
	if n > len(b) {
		return 0, nil, nil, false
	}
	return tag, b[:n], b[n:], true
}

const (
	tagInteger  = 0x02
	tagOctets   = 0x04
	tagSequence = 0x30
)

// elements takes elements of these tags off what is encoded.
func elements(b []byte, tags ...byte) (out [][]byte, ok bool) {
	for _, want := range tags {
		tag, content, rest, ok := element(b)
		if !ok || tag != want {
			return nil, false
		}
		out, b = append(out, content), rest
	}
	return out, true
}

// number reads an integer that is not negative.
func number(content []byte) (int, bool) {
	n := 0
	for i, o := range content {
		if i == 0 && o >= 0x80 || i >= 7 {
			return 0, false
		}
		n = n<<8 | int(o)
	}
	return n, len(content) > 0
}

// versionOf reads the version of a message.
func versionOf(message []byte) (gosnmp.SnmpVersion, bool) {
	outer, ok := elements(message, tagSequence)
	if !ok {
		return 0, false
	}
	inner, ok := elements(outer[0], tagInteger)
	if !ok {
		return 0, false
	}
	n, ok := number(inner[0])
	return gosnmp.SnmpVersion(n & 0xff), ok && n <= 3 //nolint:gosec // it is from 0 to 3
}

func headerOf(message []byte) (h header, ok bool) {
	outer, ok := elements(message, tagSequence)
	if !ok {
		return h, false
	}
	parts, ok := elements(outer[0], tagInteger, tagSequence, tagOctets)
	if !ok {
		return h, false
	}
	global, ok := elements(parts[1], tagInteger, tagInteger, tagOctets, tagInteger)
	if !ok || len(global[2]) != 1 {
		return h, false
	}
	inner, ok := elements(parts[2], tagSequence)
	if !ok {
		return h, false
	}
	sec, ok := elements(inner[0], tagOctets, tagInteger, tagInteger, tagOctets)
	if !ok {
		return h, false
	}
	model, ok := number(global[3])
	if !ok || model != int(gosnmp.UserSecurityModel) {
		return h, false
	}
	h = header{flags: gosnmp.SnmpV3MsgFlags(global[2][0]), engine: string(sec[0]), user: string(sec[3])}
	var good [3]bool
	h.id, good[0] = number(global[0])
	h.boots, good[1] = number(sec[1])
	h.time, good[2] = number(sec[2])
	return h, good == [3]bool{true, true, true}
}

// window is by how much the clocks of both ends may differ (RFC 3414 section 2.2.3).
const window = 150 * time.Second

// What is told of messages that cannot be answered (RFC 3414 section 5, usmStats).
const (
	statNotInTime       = ".1.3.6.1.6.3.15.1.1.2.0"
	statUnknownUser     = ".1.3.6.1.6.3.15.1.1.3.0"
	statUnknownEngine   = ".1.3.6.1.6.3.15.1.1.4.0"
	statWrongDigest     = ".1.3.6.1.6.3.15.1.1.5.0"
	statUnsupportedSecu = ".1.3.6.1.6.3.15.1.1.1.0"
)

func (a *Agent) answer3(message []byte) []byte {
	h, ok := headerOf(message)
	if !ok {
		return nil
	}
	if h.engine != a.EngineID {
		return a.report(h, statUnknownEngine, nil)
	}
	user, ok := a.user(h.user)
	if !ok {
		return a.report(h, statUnknownUser, nil)
	}
	params := a.params(user)
	if h.flags&gosnmp.AuthPriv != level(user) {
		return a.report(h, statUnsupportedSecu, nil)
	}
	in, err := a.decode(message, params, level(user))
	if err != nil {
		return a.report(h, statWrongDigest, nil)
	}
	clock := int(a.Now.Sub(a.Began) / time.Second)
	if level(user) != gosnmp.NoAuthNoPriv && (h.boots != int(a.Boots) || max(h.time-clock, clock-h.time) > int(window/time.Second)) {
		return a.report(h, statNotInTime, params)
	}
	in.SecurityParameters = a.params(user)
	if level(user) == gosnmp.AuthPriv {
		if err := in.SecurityParameters.InitPacket(in); err != nil {
			return nil
		}
	}
	return a.reply(in, user.Write, user.Name)
}

func (a *Agent) user(name string) (User, bool) {
	for _, u := range a.Users {
		if u.Name == name && name != "" {
			return u, true
		}
	}
	return User{}, false
}

// level is how safe messages of a user are.
func level(u User) gosnmp.SnmpV3MsgFlags {
	switch {
	case u.Auth <= gosnmp.NoAuth:
		return gosnmp.NoAuthNoPriv
	case u.Privacy <= gosnmp.NoPriv:
		return gosnmp.AuthNoPriv
	}
	return gosnmp.AuthPriv
}

// params are those of a user at this engine, with the keys that are made of the secrets.
func (a *Agent) params(u User) *gosnmp.UsmSecurityParameters {
	p := &gosnmp.UsmSecurityParameters{AuthoritativeEngineID: a.EngineID, AuthoritativeEngineBoots: a.Boots,
		AuthoritativeEngineTime: uint32(max(a.Now.Sub(a.Began), 0) / time.Second), UserName: u.Name, //nolint:gosec // seconds of a life
		AuthenticationProtocol: gosnmp.NoAuth, PrivacyProtocol: gosnmp.NoPriv}
	if l := level(u); l != gosnmp.NoAuthNoPriv {
		p.AuthenticationProtocol, p.AuthenticationPassphrase = u.Auth, u.AuthSecret
		if l == gosnmp.AuthPriv {
			p.PrivacyProtocol, p.PrivacyPassphrase = u.Privacy, u.PrivacySecret
		}
	}
	_ = p.InitSecurityKeys() // without keys nothing is authentic
	return p
}

// Params are what messages of a user to this engine, or from it, are proven and hidden with.
func (a *Agent) Params(u User) (gosnmp.SnmpV3MsgFlags, *gosnmp.UsmSecurityParameters) {
	return level(u), a.params(u)
}

// decode proves and opens a message.
func (a *Agent) decode(message []byte, p *gosnmp.UsmSecurityParameters, l gosnmp.SnmpV3MsgFlags) (*gosnmp.SnmpPacket, error) {
	x := &gosnmp.GoSNMP{Version: gosnmp.Version3, SecurityModel: gosnmp.UserSecurityModel, MsgFlags: l, SecurityParameters: p}
	return x.UnmarshalTrap(message, true)
}

// report tells why a message cannot be answered, to who said that he can be told. Only what is proven may set clocks: it is
// proven where the user is known.
func (a *Agent) report(h header, why string, user *gosnmp.UsmSecurityParameters) []byte {
	if h.flags&gosnmp.Reportable == 0 {
		return nil
	}
	out := &gosnmp.SnmpPacket{
		Version: gosnmp.Version3, PDUType: gosnmp.Report, MsgID: uint32(h.id), MsgMaxSize: 65_507, //nolint:gosec // RFC 3412: 0 to 2^31-1
		SecurityModel: gosnmp.UserSecurityModel, ContextEngineID: a.EngineID, MsgFlags: gosnmp.NoAuthNoPriv,
		Variables: []gosnmp.SnmpPDU{{Name: why, Type: gosnmp.Counter32, Value: uint32(1)}},
	}
	p := a.params(User{})
	if user != nil {
		out.MsgFlags = gosnmp.AuthNoPriv
		p = user
	}
	out.SecurityParameters = p
	return encode(out)
}
