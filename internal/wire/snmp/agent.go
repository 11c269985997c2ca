package snmp

import (
	"crypto/subtle"
	"errors"
	"net"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gosnmp/gosnmp"
)

// Object is an instance of a MIB object and its value, in the types of gosnmp.
type Object struct {
	OID   string // without a dot before it: 1.3.6.1.2.1.1.5.0
	Type  gosnmp.Asn1BER
	Value any
}

// Community is a word by which who asks is known.
type Community struct {
	Word  string
	Write bool
	From  []netip.Prefix // from where it is good; none for everywhere
}

// User is somebody whom SNMPv3 knows. Who has a way to prove messages must use it, and likewise a way to hide them.
type User struct {
	Name          string
	Auth          gosnmp.SnmpV3AuthProtocol // NoAuth for none
	AuthSecret    string
	Privacy       gosnmp.SnmpV3PrivProtocol // NoPriv for none
	PrivacySecret string
	Write         bool
}

// Agent answers questions. Its fields are as they are at the time of a question, by Now.
type Agent struct {
	EngineID    string // RFC 3411 section 5, SnmpEngineID
	Boots       uint32
	Began       time.Time
	Now         time.Time
	Versions    []gosnmp.SnmpVersion
	Communities []Community
	Users       []User
	// Objects are all, in any order. Set sets some of them, all or none; an error is a gosnmp.SNMPError where it can be.
	Objects func() []Object
	Set     func(by string, list []Object) error
}

// most bounds the objects of an answer; an answer is kept below maxAnswer octets, which is what a UDP datagram on a usual link
// can carry without being taken apart many times over.
const (
	most      = 400
	maxAnswer = 8000
)

// Answer returns what is to be sent back for a message, nil for nothing: RFC 3584 and RFC 3414 have an agent be silent to who
// does not know the word.
func (a *Agent) Answer(message []byte, from netip.Addr) []byte {
	version, ok := versionOf(message)
	if !ok || !slices.Contains(a.Versions, version) {
		return nil
	}
	if version == gosnmp.Version3 {
		return a.answer3(message)
	}
	return a.answer2(message, from)
}

func (a *Agent) answer2(message []byte, from netip.Addr) []byte {
	x := &gosnmp.GoSNMP{Version: gosnmp.Version2c}
	in, err := x.UnmarshalTrap(message, false)
	if err != nil {
		return nil
	}
	for _, c := range a.Communities {
		if subtle.ConstantTimeCompare([]byte(c.Word), []byte(in.Community)) != 1 || c.Word == "" {
			continue
		}
		if len(c.From) > 0 && !slices.ContainsFunc(c.From, func(p netip.Prefix) bool { return p.Contains(from.Unmap()) }) {
			continue
		}
		return a.reply(in, c.Write, "community "+from.String())
	}
	return nil
}

// reply works out and encodes the answer to a question of somebody who may ask it.
func (a *Agent) reply(in *gosnmp.SnmpPacket, write bool, by string) []byte {
	out := &gosnmp.SnmpPacket{
		Version: in.Version, Community: in.Community, PDUType: gosnmp.GetResponse, RequestID: in.RequestID,
		MsgID: in.MsgID, MsgMaxSize: in.MsgMaxSize, MsgFlags: in.MsgFlags & gosnmp.AuthPriv, SecurityModel: in.SecurityModel,
		SecurityParameters: in.SecurityParameters, ContextEngineID: in.ContextEngineID, ContextName: in.ContextName,
	}
	switch in.PDUType {
	case gosnmp.GetRequest:
		out.Variables = a.get(in.Variables)
	case gosnmp.GetNextRequest:
		out.Variables = a.next(in.Variables, 1)
	case gosnmp.GetBulkRequest:
		once := min(int(in.NonRepeaters), len(in.Variables))
		times := min(int(in.MaxRepetitions), most/max(len(in.Variables), 1))
		out.Variables = append(a.next(in.Variables[:once], 1), a.next(in.Variables[once:], times)...)
	case gosnmp.SetRequest:
		out.Variables = in.Variables
		if err := a.set(in.Variables, write, by); err != nil {
			out.Error, out.ErrorIndex = errorOf(err), 1
		}
	default:
		return nil
	}
	for {
		b := encode(out)
		if len(b) <= maxAnswer || len(out.Variables) < 2 || in.PDUType != gosnmp.GetBulkRequest {
			return b
		}
		out.Variables = out.Variables[:len(out.Variables)/2]
	}
}

func errorOf(err error) gosnmp.SNMPError {
	var e Refusal
	if errors.As(err, &e) {
		return gosnmp.SNMPError(e)
	}
	return gosnmp.GenErr
}

// Refusal says why objects are not set, by the words of RFC 3416 section 3 (error-status).
type Refusal gosnmp.SNMPError

func (r Refusal) Error() string { return "refused with error-status " + strconv.Itoa(int(r)) }

func encode(p *gosnmp.SnmpPacket) []byte {
	b, err := p.MarshalMsg()
	if err != nil {
		return nil
	}
	return b
}

func (a *Agent) get(asked []gosnmp.SnmpPDU) []gosnmp.SnmpPDU {
	byOID := map[string]Object{}
	for _, o := range a.Objects() {
		byOID[o.OID] = o
	}
	out := make([]gosnmp.SnmpPDU, len(asked))
	for i, v := range asked {
		out[i] = gosnmp.SnmpPDU{Name: v.Name, Type: gosnmp.NoSuchInstance}
		if o, ok := byOID[strings.TrimPrefix(v.Name, ".")]; ok {
			out[i] = pdu(o)
		}
	}
	return out
}

func pdu(o Object) gosnmp.SnmpPDU {
	return gosnmp.SnmpPDU{Name: "." + o.OID, Type: o.Type, Value: o.Value}
}

// next returns what follows on each of the names, so many times over.
func (a *Agent) next(asked []gosnmp.SnmpPDU, times int) []gosnmp.SnmpPDU {
	if len(asked) == 0 {
		return nil
	}
	type placed struct {
		at []uint32
		Object
	}
	objects := a.Objects()
	all := make([]placed, len(objects))
	for i, o := range objects {
		all[i] = placed{parse(o.OID), o}
	}
	slices.SortFunc(all, func(x, y placed) int { return slices.Compare(x.at, y.at) })
	var out []gosnmp.SnmpPDU
	names := make([]string, len(asked))
	for i, v := range asked {
		names[i] = v.Name
	}
	for range times {
		ended := 0
		for i, name := range names {
			at, found := slices.BinarySearchFunc(all, parse(name), func(p placed, want []uint32) int { return slices.Compare(p.at, want) })
			if found {
				at++
			}
			if at == len(all) {
				out = append(out, gosnmp.SnmpPDU{Name: name, Type: gosnmp.EndOfMibView})
				ended++
				continue
			}
			out = append(out, pdu(all[at].Object))
			names[i] = "." + all[at].OID
		}
		if ended == len(names) {
			break
		}
	}
	return out
}

func parse(oid string) []uint32 {
	var out []uint32
	for part := range strings.SplitSeq(strings.TrimPrefix(oid, "."), ".") {
		n, err := strconv.ParseUint(part, 10, 32)
		if err != nil {
			break
		}
		out = append(out, uint32(n))
	}
	return out
}

func (a *Agent) set(asked []gosnmp.SnmpPDU, write bool, by string) error {
	if !write || a.Set == nil {
		return Refusal(gosnmp.NoAccess)
	}
	list := make([]Object, len(asked))
	for i, v := range asked {
		list[i] = Object{strings.TrimPrefix(v.Name, "."), v.Type, v.Value}
	}
	return a.Set(by, list)
}

// Serve answers what comes in until the connection is closed. agent is asked for each question; nil answers nothing.
func Serve(c net.PacketConn, agent func() *Agent) {
	buf := make([]byte, 65_535)
	for {
		n, from, err := c.ReadFrom(buf)
		if err != nil {
			return
		}
		addr, ok := from.(*net.UDPAddr)
		if !ok {
			continue
		}
		a := agent()
		if a == nil {
			continue
		}
		if out := a.Answer(slices.Clone(buf[:n]), addr.AddrPort().Addr()); out != nil {
			_, _ = c.WriteTo(out, from)
		}
	}
}
