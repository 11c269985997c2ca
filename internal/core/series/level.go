package series

import (
	"encoding/binary"
	"time"
)

// Level is how finely a stretch of time is kept.
type Level int

// The levels.
const (
	Raw    Level = iota // each reading
	Fine                // points of five minutes
	Coarse              // points of an hour
)

// Levels lists those that hold points, the finer first.
func Levels() []Level { return []Level{Fine, Coarse} }

var levels = []struct{ step, bucket, keep time.Duration }{
	Raw:    {0, 2 * time.Hour, 7 * 24 * time.Hour},
	Fine:   {5 * time.Minute, 24 * time.Hour, 92 * 24 * time.Hour},
	Coarse: {time.Hour, 16 * 24 * time.Hour, 2 * 366 * 24 * time.Hour},
}

// Step is the time between two points.
func (l Level) Step() int64 { return levels[l].step.Milliseconds() }

// BucketLength is how much time a packed column holds.
func (l Level) BucketLength() int64 { return levels[l].bucket.Milliseconds() }

// Keep is how long it is kept.
func (l Level) Keep() time.Duration { return levels[l].keep }

// Bucket is the number of the bucket in which a moment lies, in milliseconds since 1970.
func (l Level) Bucket(at int64) int64 { return at / l.BucketLength() }

// Span is all the steps of a bucket.
func (l Level) Span(bucket int64) Span {
	return Span{From: bucket * l.BucketLength(), Step: l.Step(), Count: int(l.BucketLength() / l.Step())}
}

// Key is where a packed column is kept: ordered by level, then bucket, then thing, so that what is old lies together.
func Key(l Level, bucket, thing int64, slot int) int64 {
	return int64(l)<<58 | bucket<<32 | thing*MaxSlots + int64(slot)
}

// Join packs several columns into one.
func Join(columns [][]int64) []byte {
	var out []byte
	for _, c := range columns {
		packed := Encode(c)
		out = append(binary.AppendUvarint(out, uint64(len(packed))), packed...)
	}
	return out
}

// Split is the other direction, for n columns.
func Split(b []byte, n int) ([][]int64, error) {
	out := make([][]int64, n)
	for i := range out {
		size, used := binary.Uvarint(b)
		if used <= 0 || size > uint64(len(b)-used) {
			return nil, errTorn
		}
		c, err := Decode(b[used : used+int(size)])
		if err != nil {
			return nil, err
		}
		if i > 0 && len(c) != len(out[0]) {
			return nil, errTorn
		}
		out[i], b = c, b[used+int(size):]
	}
	return out, nil
}

// Zero tells whether columns hold nothing but zeros.
func Zero(columns [][]int64) bool {
	for _, c := range columns {
		for _, v := range c {
			if v != 0 {
				return false
			}
		}
	}
	return true
}
