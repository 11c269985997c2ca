package netconf

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

const nsOperations = "urn:everypost:yang:ep-operations"

const (
	lookEvery   = 250 * time.Millisecond // between looks for what came back
	cancelTime  = 5 * time.Second
	lookTime    = 10 * time.Second // until an answer to a look is given up
	maxLines    = 2_000            // of one operation that are believed
	maxCellText = 400
	maxFileName = 120
)

// Operations implements driver.Operator, by the features of ep-operations that the device announces.
func (s *session) Operations() []operation.Kind {
	var out []operation.Kind
	announced := announcedFeatures(s.rpc.Peer(), "ep-operations")
	for _, a := range operation.All() {
		if announced[a.Announced()] {
			out = append(out, a.Kind)
		}
	}
	return out
}

// Operate implements driver.Operator.
func (s *session) Operate(ctx context.Context, r operation.Request, tell func(operation.Line)) (file string, err error) {
	about, _ := operation.Of(r.Kind)
	if ctx.Err() != nil {
		return "", context.Cause(ctx)
	}
	// Who cancels while it is begun has the answer be awaited all the same: without its number nobody could end it on the device.
	begin, cancel := context.WithTimeout(context.WithoutCancel(ctx), lookTime)
	defer cancel()
	reply, err := s.rpc.Do(begin, xmlnode.New(nsOperations, "begin", writeRequest(about, r)))
	if err != nil {
		return "", refusal(err)
	}
	if about.Leaves {
		return "", nil
	}
	id := reply.TextAt("id")
	if id == "" {
		return "", &driver.Refusal{Words: "the device has begun it and does not say under which number"}
	}
	told := 0
	for {
		state, reason, left, more, err := s.look(ctx, about, id, &told, tell)
		if ctx.Err() != nil {
			s.leave(ctx, id)
			if about.Captures { // what there is until now is worth having
				last, cancel := context.WithTimeout(context.WithoutCancel(ctx), cancelTime)
				defer cancel()
				_, _, left, _, _ = s.look(last, about, id, &told, tell)
			}
			return left, context.Cause(ctx)
		}
		if err != nil {
			return "", refusal(err)
		}
		switch {
		case told > maxLines:
			s.leave(ctx, id)
			return "", &driver.Refusal{Words: fmt.Sprintf("the device tells more than %d lines", maxLines)}
		case more || state == "running":
		case state == "done":
			return left, nil
		case state == "cancelled":
			return left, &driver.Refusal{Words: "it was cancelled on the device"}
		default:
			return left, &driver.Refusal{Words: short(reason)}
		}
		if more {
			continue
		}
		select {
		case <-time.After(lookEvery):
		case <-ctx.Done():
		case <-s.rpc.Done():
		}
	}
}

// look reads what came back since the last look, and whether there is more to be had at once.
func (s *session) look(ctx context.Context, about operation.About, id string, told *int, tell func(operation.Line)) (state, reason, file string, more bool, err error) {
	ctx, cancel := context.WithTimeout(ctx, lookTime)
	defer cancel()
	reply, err := s.rpc.Do(ctx, xmlnode.New(nsOperations, "read-output",
		xmlnode.Leaf(nsOperations, "id", id), xmlnode.Leaf(nsOperations, "after", strconv.Itoa(*told))))
	if err != nil {
		return "", "", "", false, err
	}
	before := *told
	for _, line := range reply.All("line") {
		n := number(line, "number")
		if n <= *told {
			continue // it was told before
		}
		*told = n
		tell(readLine(about, line))
	}
	state = reply.TextAt("state")
	return state, reply.TextAt("reason"), fileName(reply.TextAt("file")), *told > before && state != "running", nil
}

// fileName is a name that a device tells of a file, "" where it is none.
func fileName(s string) string {
	if s == "" || len(s) > maxFileName || strings.ContainsAny(s, "/\\\x00") || s == "." || s == ".." {
		return ""
	}
	return s
}

func readLine(about operation.About, n *xmlnode.Node) operation.Line {
	out := operation.Line{At: driver.Believed(epoch(n.TextAt("at")), time.Now()), Cells: map[string]string{}}
	if out.At.IsZero() {
		out.At = time.Now()
	}
	out.At = out.At.UTC()
	for _, c := range about.Columns {
		if v := n.Find(string(about.Kind)).TextAt(c.Name); v != "" {
			out.Cells[c.Name] = short(v)
		}
	}
	return out
}

func short(s string) string {
	if r := []rune(s); len(r) > maxCellText {
		return string(r[:maxCellText]) + "..."
	}
	return s
}

func writeRequest(about operation.About, r operation.Request) *xmlnode.Node {
	out := xmlnode.New(nsOperations, string(r.Kind))
	for _, p := range about.Params {
		v, said := r.Args[p.Name]
		switch {
		case !said:
		case p.Value.Type == setting.List:
			for _, one := range setting.Items(v) {
				out.Add(xmlnode.Leaf(nsOperations, p.Name, one))
			}
		default:
			out.Add(xmlnode.Leaf(nsOperations, p.Name, v))
		}
	}
	return out
}

// leave has the device end an operation that nobody waits for any more.
func (s *session) leave(ctx context.Context, id string) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), cancelTime)
	defer cancel()
	_, _ = s.rpc.Do(ctx, xmlnode.New(nsOperations, "cancel", xmlnode.Leaf(nsOperations, "id", id)))
}

// announcedFeatures are the features of a module that a device has (RFC 7950 section 5.6.4).
func announcedFeatures(h netconf.Hello, module string) map[string]bool {
	out := map[string]bool{}
	for _, c := range h.Capabilities {
		_, query, _ := strings.Cut(c, "?")
		name, features := moduleOf(query)
		if name != module {
			continue
		}
		for f := range strings.SplitSeq(features, ",") {
			out[f] = true
		}
	}
	return out
}
