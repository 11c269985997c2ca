package catalog

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
)

// Order is one step of a sort.
type Order struct {
	Field *selector.Field
	Down  bool // the greatest first
}

// OrderError tells that a list cannot be sorted or counted as asked.
type OrderError struct{ Problem string }

func (e *OrderError) Error() string { return e.Problem }

// ParseOrder reads a sort such as "-port.poe.watts,name": fields of the subject or of what it belongs to.
func ParseOrder(text string, subject selector.Noun) ([]Order, error) {
	var out []Order
	for name := range strings.SplitSeq(text, ",") {
		name = strings.TrimSpace(name)
		if name == "" {
			continue
		}
		name, down := strings.CutPrefix(name, "-")
		f, err := fieldOf(name, subject)
		if err != nil {
			return nil, err
		}
		out = append(out, Order{Field: f, Down: down})
	}
	if len(out) > 8 {
		return nil, &OrderError{"a list is sorted by 8 fields at most"}
	}
	return out, nil
}

// fieldOf finds a field that has one value for each row of the subject.
func fieldOf(name string, subject selector.Noun) (*selector.Field, error) {
	f := Network.Field(name)
	if f == nil {
		return nil, &OrderError{fmt.Sprintf("there is no field `%s` to sort or count by", name)}
	}
	if f.Noun > subject {
		return nil, &OrderError{fmt.Sprintf("`%s` is a property of a %s: it has no one value for a %s", f.Name, f.Noun, subject)}
	}
	return f, nil
}

// ParseFields reads a list of fields to count by, such as "kind,health".
func ParseFields(text string, subject selector.Noun) ([]*selector.Field, error) {
	order, err := ParseOrder(text, subject)
	out := make([]*selector.Field, len(order))
	for i, o := range order {
		out[i] = o.Field
	}
	return out, err
}

// value returns the value of a field for a row, the first where there are many.
func value(f *selector.Field, rows *selector.Rows) selector.Datum {
	row := rows[f.Noun]
	if row == nil {
		return selector.Datum{}
	}
	if f.Many {
		if list := f.GetMany(row); len(list) > 0 {
			return list[0]
		}
		return selector.Datum{}
	}
	return f.Get(row)
}

// compare orders two values of a field. What is not known comes first.
func compare(f *selector.Field, a, b selector.Datum) int {
	switch f.Type {
	case selector.Number, selector.Flag:
		return compareNumbers(a, b)
	case selector.Age: // the youngest first, which is the latest moment
		return compareNumbers(b, a)
	case selector.Version:
		return selector.CompareVersions(a.Text, b.Text)
	}
	return cmp.Or(network.ComparePorts(selector.Fold(a.Text), selector.Fold(b.Text)), cmp.Compare(a.Text, b.Text))
}

func compareNumbers(a, b selector.Datum) int {
	if a.Known != b.Known {
		if b.Known {
			return -1
		}
		return 1
	}
	return cmp.Compare(a.Number, b.Number)
}

// Page sorts rows and returns those from offset on, at most limit. Only as much is sorted as is shown. Rows that compare
// the same stay in the order given.
func Page[R any](rows []R, order []Order, bind func(R) selector.Rows, offset, limit int) []R {
	offset = min(max(offset, 0), len(rows))
	end := min(offset+max(limit, 0), len(rows))
	if len(order) == 0 {
		return rows[offset:end]
	}
	type keyed struct {
		keys []selector.Datum
		at   int
	}
	list := make([]keyed, len(rows))
	all := make([]selector.Datum, len(rows)*len(order))
	for i, r := range rows {
		k := all[i*len(order) : (i+1)*len(order)]
		b := bind(r)
		for j, o := range order {
			k[j] = value(o.Field, &b)
		}
		list[i] = keyed{k, i}
	}
	compareKeyed := func(a, b keyed) int {
		for j, o := range order {
			if c := compare(o.Field, a.keys[j], b.keys[j]); c != 0 {
				if o.Down {
					return -c
				}
				return c
			}
		}
		return a.at - b.at
	}
	// Where a page is a small part of much, it is picked out before it is sorted.
	if end-offset < len(list)/4 {
		pick(list, offset, compareKeyed)
		pick(list[offset:], end-offset, compareKeyed)
		slices.SortFunc(list[offset:end], compareKeyed)
	} else {
		slices.SortFunc(list, compareKeyed)
	}
	out := make([]R, 0, end-offset)
	for _, k := range list[offset:end] {
		out = append(out, rows[k.at])
	}
	return out
}

// pick moves the n smallest to the front (quickselect with the median of three as pivot).
func pick[T any](list []T, n int, compare func(a, b T) int) {
	for n > 0 && n < len(list) {
		if len(list) < 32 {
			slices.SortFunc(list, compare)
			return
		}
		a, b, c := list[0], list[len(list)/2], list[len(list)-1]
		pivot := b
		switch {
		case compare(a, b) < 0 == (compare(a, c) > 0):
			pivot = a
		case compare(c, a) < 0 == (compare(c, b) > 0):
			pivot = c
		}
		low, same, high := 0, 0, len(list)
		for same < high { // three ways, so that many of the same are no trap
			switch d := compare(list[same], pivot); {
			case d < 0:
				list[low], list[same] = list[same], list[low]
				low++
				same++
			case d > 0:
				high--
				list[high], list[same] = list[same], list[high]
			default:
				same++
			}
		}
		switch {
		case n <= low:
			list = list[:low]
		case n >= high:
			list, n = list[high:], n-high
		default:
			return
		}
	}
}

// Count counts rows by the values of a field. What is not known counts under "".
func Count[R any](rows []R, f *selector.Field, bind func(R) selector.Rows) map[string]int {
	out := map[string]int{}
	for _, r := range rows {
		b := bind(r)
		if f.Many {
			if b[f.Noun] != nil {
				for _, d := range f.GetMany(b[f.Noun]) {
					out[Say(f, d)]++
				}
			}
			continue
		}
		out[Say(f, value(f, &b))]++
	}
	return out
}

// Say writes a value as it is written in an expression.
func Say(f *selector.Field, d selector.Datum) string {
	switch f.Type {
	case selector.Number, selector.Age:
		if !d.Known {
			return ""
		}
		return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.3f", d.Number), "0"), ".")
	case selector.Flag:
		return map[bool]string{true: "true", false: "false"}[d.Number == 1]
	}
	return d.Text
}

// BindSite, BindDevice and BindPort give the rows that a row determines.
func BindSite(s *Site) selector.Rows { return selector.Rows{selector.Site: s} }

// BindDevice gives the rows that a device determines.
func BindDevice(d *Device) selector.Rows {
	return selector.Rows{selector.Site: d.Site, selector.Device: d}
}

// BindPort gives the rows that a port determines.
func BindPort(p *Port) selector.Rows {
	return selector.Rows{selector.Site: p.Device.Site, selector.Device: p.Device, selector.Port: p}
}

// AtSite picks what is at a site.
func AtSite(name string) selector.Expr {
	return is("site", name)
}

// OnDevice picks what is on a device.
func OnDevice(name string) selector.Expr { return is("name", name) }

// AtAddress picks the device that is managed at an address, given as host:port.
func AtAddress(address string) selector.Expr { return is("address", hostOf(address)) }

func is(field, value string) selector.Expr {
	e, err := Network.Parse(field + " = " + selector.Quote(value))
	if err != nil {
		panic(err) // a quoted value can always be read
	}
	return e
}
