// Package captures shows what devices captured: frame by frame, of one operation or of several merged in the order of time.
package captures

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"example.net/everypost/internal/store"
	"example.net/everypost/internal/wire/pcap"
)

const (
	// MaxMerged is of how many operations frames are merged.
	MaxMerged   = 8
	maxFrames   = 20_000 // that are shown of one
	frameOctets = 1518
)

// ErrInvalid tells that something cannot be shown.
var ErrInvalid = errors.New("that cannot be shown")

// Frame is a captured frame, with what is in it.
type Frame struct {
	pcap.Frame
	pcap.Text
}

// Service is the capability. Make it with New.
type Service struct{ store *store.Store }

// New returns the service.
func New(s *store.Store) *Service { return &Service{s} }

// frames are those of operations, in the order of time; more tells that there are more than are shown. Of several operations each port is named with its
// device.
func (s *Service) frames(ctx context.Context, of []store.Operation) (out []pcap.Frame, more bool, err error) {
	if len(of) == 0 || len(of) > MaxMerged {
		return nil, false, fmt.Errorf("%w: name 1 to %d captures", ErrInvalid, MaxMerged)
	}
	for _, o := range of {
		file, err := s.store.Capture(ctx, o.Number)
		if errors.Is(err, store.ErrNotFound) {
			return nil, false, fmt.Errorf("%w: operation %d left no capture, or it was dropped since", ErrInvalid, o.Number)
		}
		if err != nil {
			return nil, false, err
		}
		frames, rest, err := pcap.Read(file, pcap.Limits{Frames: maxFrames, FrameOctets: frameOctets})
		if err != nil {
			return nil, false, fmt.Errorf("%w: what %s captured: %w", ErrInvalid, o.Device, err)
		}
		if len(of) > 1 {
			for i := range frames {
				frames[i].On = o.Device + ":" + frames[i].On
			}
		}
		out, more = append(out, frames...), more || rest
		if ctx.Err() != nil {
			return nil, false, context.Cause(ctx)
		}
	}
	slices.SortStableFunc(out, func(a, b pcap.Frame) int { return a.At.Compare(b.At) })
	return out, more, nil
}

// Page returns frames from an offset on in which a text stands, at most so many, how many there are in all, and whether more were captured than are shown.
func (s *Service) Page(ctx context.Context, of []store.Operation, find string, offset, limit int) (out []Frame, total int, more bool, err error) {
	all, more, err := s.frames(ctx, of)
	if err != nil {
		return nil, 0, false, err
	}
	find = strings.ToLower(find)
	for _, f := range all {
		wanted := total >= offset && len(out) < limit
		if find == "" && !wanted {
			total++
			continue
		}
		t := pcap.Describe(f)
		if find != "" && !strings.Contains(strings.ToLower(strings.Join([]string{t.From, t.To, t.Protocol, t.Info, f.On}, " ")), find) {
			continue
		}
		if total >= offset && len(out) < limit {
			out = append(out, Frame{f, t})
		}
		total++
	}
	return out, total, more, nil
}

// File returns frames as a file in the pcapng format: of one operation as the device gave it, of several as one.
func (s *Service) File(ctx context.Context, of []store.Operation) ([]byte, error) {
	all, _, err := s.frames(ctx, of)
	if err != nil {
		return nil, err
	}
	if len(of) == 1 {
		return s.store.Capture(ctx, of[0].Number)
	}
	var out bytes.Buffer
	if err := pcap.Write(&out, all); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}
