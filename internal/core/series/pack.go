package series

import (
	"encoding/binary"
	"errors"
	"math/bits"
)

// errTorn tells that packed values cannot be read.
var errTorn = errors.New("packed values are damaged")

// frame is how many differences share a width.
const frame = 64

// maxColumn bounds what one column may hold, so that damaged bytes cannot ask for all memory.
const maxColumn = 1 << 20

func zigzag(v int64) uint64   { return uint64(v<<1) ^ uint64(v>>63) }
func unzigzag(u uint64) int64 { return int64(u>>1) ^ -int64(u&1) }

// Encode packs a column. Its form: the number of values as a varint; a byte that tells whether some are absent, and if so a
// bit for each value, the lowest first; then of those that are there the first, and the differences of the others in frames of
// 64, each led by its least difference and by the width in bits of what the others are more. First and least are zigzagged
// varints.
func Encode(values []int64) []byte {
	out := binary.AppendUvarint(make([]byte, 0, 16+len(values)), uint64(len(values)))
	there := make([]int64, 0, len(values))
	for _, v := range values {
		if v != Absent {
			there = append(there, v)
		}
	}
	if len(there) == len(values) {
		out = append(out, 0)
	} else {
		out = append(out, 1)
		mask := make([]byte, (len(values)+7)/8)
		for i, v := range values {
			if v != Absent {
				mask[i/8] |= 1 << (i % 8)
			}
		}
		out = append(out, mask...)
	}
	if len(there) == 0 {
		return out
	}
	before := there[0]
	out, there = binary.AppendUvarint(out, zigzag(before)), there[1:]
	var diffs [frame]uint64
	for len(there) > 0 {
		n := min(frame, len(there))
		least := there[0] - before
		for i, v := range there[:n] {
			diffs[i] = uint64(v - before)
			least = min(least, v-before)
			before = v
		}
		there = there[n:]
		all := uint64(0)
		for i := range diffs[:n] {
			diffs[i] -= uint64(least)
			all |= diffs[i]
		}
		width := bits.Len64(all)
		out = binary.AppendUvarint(out, zigzag(least))
		out = appendBits(append(out, byte(width)), diffs[:n], width)
	}
	return out
}

// appendBits writes values of one width one after another, the lowest bit first, filled up to whole bytes.
func appendBits(out []byte, values []uint64, width int) []byte {
	if width == 0 {
		return out
	}
	var word uint64
	have := 0
	for _, v := range values {
		word |= v << have
		have += width
		if have < 64 {
			continue
		}
		out = binary.LittleEndian.AppendUint64(out, word)
		have -= 64
		word = 0
		if have > 0 {
			word = v >> (width - have)
		}
	}
	for ; have > 0; have -= 8 {
		out = append(out, byte(word))
		word >>= 8
	}
	return out
}

// Decode unpacks a column.
func Decode(b []byte) ([]int64, error) {
	count, n := binary.Uvarint(b)
	if n <= 0 || count > maxColumn || len(b) < n+1 {
		return nil, errTorn
	}
	some, b := b[n], b[n+1:]
	var mask []byte
	there := int(count)
	if some != 0 {
		size := (int(count) + 7) / 8
		if len(b) < size {
			return nil, errTorn
		}
		mask, b = b[:size], b[size:]
		there = 0
		for _, m := range mask {
			there += bits.OnesCount8(m)
		}
	}
	if there > int(count) || there > frame*len(b) {
		return nil, errTorn
	}
	packed := make([]int64, there)
	var before int64
	if there > 0 {
		first, n := binary.Uvarint(b)
		if n <= 0 {
			return nil, errTorn
		}
		before, b = unzigzag(first), b[n:]
		packed[0] = before
	}
	for at := 1; at < there; at += frame {
		k := min(frame, there-at)
		least, n := binary.Uvarint(b)
		if n <= 0 || len(b) < n+1 || b[n] > 64 {
			return nil, errTorn
		}
		b = b[n:]
		width := int(b[0])
		size := (k*width + 7) / 8
		if b = b[1:]; len(b) < size {
			return nil, errTorn
		}
		readBits(packed[at:at+k], b[:size], width)
		b = b[size:]
		for i := at; i < at+k; i++ {
			before += packed[i] + unzigzag(least)
			packed[i] = before
		}
	}
	if mask == nil {
		return packed, nil
	}
	out := make([]int64, count)
	for i := range out {
		if mask[i/8]>>(i%8)&1 == 0 {
			out[i] = Absent
			continue
		}
		if len(packed) == 0 {
			return nil, errTorn
		}
		out[i], packed = packed[0], packed[1:]
	}
	return out, nil
}

// readBits reads values of one width.
func readBits(to []int64, b []byte, width int) {
	at := 0
	for i := range to {
		var v uint64
		for have := 0; have < width; {
			part := min(8-at%8, width-have)
			v |= uint64(b[at/8]>>(at%8)&(1<<part-1)) << have
			have += part
			at += part
		}
		to[i] = int64(v)
	}
}

// Row is one poll of a source as the log keeps it: against the row before it, or whole. Its form: differences from the row
// before, or the values themselves, as varints of which 0 leads a run of zeros, 1 stands for what is absent, and the rest is
// one more than the zigzagged difference.
func Row(before, values []int64) []byte {
	out := make([]byte, 0, 2*len(values))
	zeros := uint64(0)
	flush := func() {
		if zeros > 0 {
			out = binary.AppendUvarint(append(out, 0), zeros)
			zeros = 0
		}
	}
	for i, v := range values {
		d := v
		if before != nil && before[i] != Absent && v != Absent {
			d -= before[i]
		}
		switch {
		case v == Absent:
			flush()
			out = append(out, 1)
		case d == 0:
			zeros++
		default:
			flush()
			out = binary.AppendUvarint(out, zigzag(d)+1)
		}
	}
	flush()
	return out
}

// ReadRow reads a row of n values, against the row before it or whole.
func ReadRow(before []int64, b []byte, n int) ([]int64, error) {
	out := make([]int64, 0, n)
	base := func() int64 {
		if before != nil && before[len(out)] != Absent {
			return before[len(out)]
		}
		return 0
	}
	for len(b) > 0 {
		u, used := binary.Uvarint(b)
		if used <= 0 {
			return nil, errTorn
		}
		b = b[used:]
		run := uint64(1)
		if u == 0 {
			if run, used = binary.Uvarint(b); used <= 0 {
				return nil, errTorn
			}
			b = b[used:]
		}
		if run > uint64(n-len(out)) {
			return nil, errTorn
		}
		switch u {
		case 0:
			for range run {
				out = append(out, base())
			}
		case 1:
			out = append(out, Absent)
		default:
			out = append(out, base()+unzigzag(u-1))
		}
	}
	if len(out) != n {
		return nil, errTorn
	}
	return out, nil
}
