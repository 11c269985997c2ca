package network

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// VLANID is a VLAN identifier of IEEE 802.1Q: 1 to 4094. Zero means none.
type VLANID uint16

// MaxVLAN is the highest VLAN identifier; 4095 is reserved (IEEE 802.1Q table 9-2).
const MaxVLAN VLANID = 4094

// ParseVLAN reads an identifier.
func ParseVLAN(s string) (VLANID, error) {
	n, err := strconv.ParseUint(strings.TrimSpace(s), 10, 16)
	if err != nil || n < 1 || n > uint64(MaxVLAN) {
		return 0, fmt.Errorf("%q is not a VLAN: give a number from 1 to %d", s, MaxVLAN)
	}
	return VLANID(n), nil
}

func (v VLANID) String() string { return strconv.Itoa(int(v)) }

// VLANSet is a set of VLANs in rising order, without doubles.
type VLANSet []VLANID

// NewVLANSet sorts and removes doubles.
func NewVLANSet(ids ...VLANID) VLANSet {
	s := slices.Clone(ids)
	slices.Sort(s)
	return VLANSet(slices.Compact(s))
}

// ParseVLANSet reads a list such as "10,20-25,99". An empty text is the empty set.
func ParseVLANSet(s string) (VLANSet, error) {
	var out []VLANID
	for part := range strings.SplitSeq(s, ",") {
		part = strings.TrimSpace(part)
		if part == "" {
			continue
		}
		from, to, isRange := strings.Cut(part, "-")
		first, err := ParseVLAN(from)
		if err != nil {
			return nil, err
		}
		last := first
		if isRange {
			if last, err = ParseVLAN(to); err != nil {
				return nil, err
			}
			if last < first {
				return nil, fmt.Errorf("%q runs backwards: write %s-%s", part, last, first)
			}
		}
		for v := first; v <= last; v++ {
			out = append(out, v)
		}
	}
	return NewVLANSet(out...), nil
}

// Has reports whether v is in the set.
func (s VLANSet) Has(v VLANID) bool {
	_, ok := slices.BinarySearch(s, v)
	return ok
}

// String writes the set with ranges of three and more folded: "10,20-25,99".
func (s VLANSet) String() string {
	var b strings.Builder
	for i := 0; i < len(s); {
		j := i
		for j+1 < len(s) && s[j+1] == s[j]+1 {
			j++
		}
		if b.Len() > 0 {
			b.WriteByte(',')
		}
		b.WriteString(s[i].String())
		if j-i >= 2 {
			b.WriteString("-" + s[j].String())
			i = j + 1
		} else {
			i++
		}
	}
	return b.String()
}
