// Package pcap reads and writes captured frames in the pcapng format (draft-ietf-opsawg-pcapng), says in a line what is in a frame, and picks frames by an
// expression in the syntax of pcap-filter.
package pcap

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"slices"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/gopacket/gopacket/pcapgo"
)

// Frame is a captured Ethernet frame.
type Frame struct {
	At     time.Time
	On     string // the interface on which it was seen
	In     bool   // it came in; else it went out
	Length int    // of the whole frame, in octets
	Data   []byte // its begin, as far as it was kept
}

// Limits bound what is read.
type Limits struct{ Frames, FrameOctets int }

// ErrFormat tells that something is no capture.
var ErrFormat = errors.New("that is no capture in the pcapng format")

// Read reads a capture. More frames than the limits allow are left out, and more tells so.
func Read(file []byte, most Limits) (frames []Frame, more bool, err error) {
	if err := bounded(file); err != nil {
		return nil, false, err
	}
	r, err := pcapgo.NewNgReader(bytes.NewReader(file), pcapgo.NgReaderOptions{WantMixedLinkType: true, SkipUnknownVersion: true})
	if err != nil {
		return nil, false, fmt.Errorf("%w: %w", ErrFormat, err)
	}
	for {
		data, info, options, err := r.ReadPacketDataWithOptions()
		switch {
		case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
			return frames, false, nil // one that was cut off holds what it holds
		case err != nil:
			return nil, false, fmt.Errorf("%w: %w", ErrFormat, err)
		case len(frames) == most.Frames:
			return frames, true, nil
		}
		on, err := r.Interface(info.InterfaceIndex)
		if err != nil {
			return nil, false, fmt.Errorf("%w: %w", ErrFormat, err)
		}
		if on.LinkType != layers.LinkTypeEthernet {
			continue
		}
		f := Frame{At: info.Timestamp.UTC(), On: on.Name, In: true, Length: max(info.Length, len(data)), Data: bytes.Clone(data[:min(len(data), most.FrameOctets)])}
		f.In = options.Flags == nil || options.Flags.Direction != pcapgo.NgEpbFlagDirectionOutbound
		frames = append(frames, f)
	}
}

// The types of blocks, as they stand in files of either order of octets.
const (
	sectionBlock   = 0x0a0d0d0a
	interfaceBlock = 1
	namesBlock     = 4
	orderMagic     = 0x1a2b3c4d
	mostOthers     = 2_000 // blocks that hold no frame, of which each is remembered while a file is read
)

// bounded tells whether a file has no more blocks to be remembered than any capture needs.
func bounded(file []byte) error {
	var order binary.ByteOrder = binary.LittleEndian
	others := 0
	for len(file) >= 12 {
		if binary.LittleEndian.Uint32(file) == sectionBlock {
			if order = binary.LittleEndian; order.Uint32(file[8:]) != orderMagic {
				order = binary.BigEndian
			}
		}
		kind, length := order.Uint32(file), order.Uint32(file[4:])
		if kind == sectionBlock || kind == interfaceBlock || kind == namesBlock {
			if others++; others > mostOthers {
				return fmt.Errorf("%w: it has more interfaces than any device", ErrFormat)
			}
		}
		if length < 12 || uint64(length) > uint64(len(file)) {
			return nil // cut off, or none: the reader says what is wrong
		}
		file = file[length:]
	}
	return nil
}

// Write writes frames as a capture, in the order of time, each on the interface of its name.
func Write(w io.Writer, frames []Frame) error {
	frames = slices.Clone(frames)
	slices.SortStableFunc(frames, func(a, b Frame) int { return cmp.Or(a.At.Compare(b.At), cmp.Compare(a.On, b.On)) })
	ids := map[string]int{}
	about := func(name string) pcapgo.NgInterface {
		return pcapgo.NgInterface{Name: name, LinkType: layers.LinkTypeEthernet, TimestampResolution: 9, SnapLength: 0}
	}
	first := ""
	if len(frames) > 0 {
		first = frames[0].On
	}
	out, err := pcapgo.NewNgWriterInterface(w, about(first), pcapgo.DefaultNgWriterOptions)
	if err != nil {
		return err
	}
	ids[first] = 0
	for _, f := range frames {
		id, met := ids[f.On]
		if !met {
			if id, err = out.AddInterface(about(f.On)); err != nil {
				return err
			}
			ids[f.On] = id
		}
		way := pcapgo.NgEpbFlagDirectionOutbound
		if f.In {
			way = pcapgo.NgEpbFlagDirectionInbound
		}
		info := gopacket.CaptureInfo{Timestamp: f.At, InterfaceIndex: id, Length: max(f.Length, len(f.Data)), CaptureLength: len(f.Data)}
		if err := out.WritePacketWithOptions(info, f.Data, pcapgo.NgPacketOptions{Flags: &pcapgo.NgEpbFlags{Direction: way}}); err != nil {
			return err
		}
	}
	return out.Flush()
}
