package catalog

import (
	"cmp"
	"fmt"
	"math"
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
	if f.Name == groupField {
		return nil, &OrderError{"a device may be in many groups: they can be asked for, not sorted or counted by"}
	}
	if !subject.Determines(f.Noun) {
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
	return network.ComparePorts(a.Text, b.Text) // folded before
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

// counter counts rows by the values of a field. What is not known counts under "".
type counter struct {
	field *selector.Field
	by    map[string]*int
	last  string // the value that was counted last, as rows of one device often have the same
	at    *int
}

func newCounters(fields []*selector.Field) []*counter {
	out := make([]*counter, len(fields))
	for i, f := range fields {
		out[i] = &counter{field: f, by: map[string]*int{}}
	}
	return out
}

func (c *counter) add(b *selector.Rows) {
	if !c.field.Many {
		c.count(Say(c.field, value(c.field, b)))
		return
	}
	if row := b[c.field.Noun]; row != nil {
		for _, d := range c.field.GetMany(row) {
			c.count(Say(c.field, d))
		}
	}
}

func (c *counter) count(v string) {
	if c.at == nil || v != c.last {
		if c.at = c.by[v]; c.at == nil {
			c.at = new(int)
			c.by[v] = c.at
		}
		c.last = v
	}
	*c.at++
}

// countsOf tells what was counted.
func countsOf(counters []*counter) []map[string]int {
	var out []map[string]int
	for _, c := range counters {
		counts := make(map[string]int, len(c.by))
		for v, n := range c.by {
			counts[v] = *n
		}
		out = append(out, counts)
	}
	return out
}

// shallow is how far from the front a page may end to be kept in a heap as the rows come.
const shallow = 5000

// most bounds the room that is made for rows before it is known how many there are.
const most = 1 << 18

// pager keeps, of the rows that are added, those of one page of the sorted list: those from offset on, at most limit. Rows
// that compare the same stay in the order given. Near the front it holds no more rows than lie before the end of the page,
// and looks at most of the others but once; deep in the list it holds all, and sorts only the page.
type pager[R any] struct {
	order         []Order
	bind          func(R) selector.Rows
	offset, limit int
	seen          int
	byNumber      bool             // the first step of the order compares numbers
	slab          []selector.Datum // from which keys are cut
	kept          []keyed[R]       // without an order: the page; with one: the first of all, as a heap with the last at its top
}

type keyed[R any] struct {
	row    R
	number float64 // of the first key, where the order begins with a number: what is not known is less than all
	keys   []selector.Datum
	at     int
}

func newPager[R any](order []Order, bind func(R) selector.Rows, offset, limit int) *pager[R] {
	p := &pager[R]{order: order, bind: bind, offset: max(offset, 0), limit: max(limit, 0)}
	if len(order) > 0 {
		t := order[0].Field.Type
		p.byNumber = t == selector.Number || t == selector.Flag || t == selector.Age
	}
	if len(order) > 0 && p.deep() {
		p.kept = make([]keyed[R], 0, min(2*(p.offset+min(p.limit, shallow)), most))
	}
	return p
}

func (p *pager[R]) add(r R, b *selector.Rows) {
	at := p.seen
	p.seen++
	if p.limit == 0 {
		return
	}
	if len(p.order) == 0 {
		if at >= p.offset && at < p.offset+p.limit {
			p.kept = append(p.kept, keyed[R]{row: r})
		}
		return
	}
	if p.deep() {
		p.kept = append(p.kept, p.key(r, b, at, p.cut()))
		return
	}
	if len(p.kept) < p.offset+p.limit {
		p.push(p.key(r, b, at, p.cut()))
		return
	}
	if top := &p.kept[0]; p.before(b, top) { // most rows end here, by their first key
		*top = p.key(r, b, at, top.keys[:0])
		p.sink(0)
	}
}

func (p *pager[R]) deep() bool { return p.offset+p.limit > shallow }

// slabRows is for how many rows keys are made room for at once.
const slabRows = 4096

// cut returns room for the keys of a row.
func (p *pager[R]) cut() []selector.Datum {
	n := len(p.order)
	if p.byNumber && n == 1 {
		return nil
	}
	if len(p.slab) < n {
		p.slab = make([]selector.Datum, slabRows*n)
	}
	room := p.slab[:0:n]
	p.slab = p.slab[n:]
	return room
}

// key makes a row ready to be sorted; its keys go into the room given.
func (p *pager[R]) key(r R, b *selector.Rows, at int, room []selector.Datum) keyed[R] {
	k := keyed[R]{row: r, at: at}
	if p.byNumber {
		k.number = p.rank(value(p.order[0].Field, b))
	}
	if !p.byNumber || len(p.order) > 1 { // one number is all that such rows are compared by
		k.keys = p.keysOf(b, room)
	}
	return k
}

// rank is the number by which the first key sorts, the smallest first.
func (p *pager[R]) rank(d selector.Datum) float64 {
	n := math.Inf(-1)
	if d.Known {
		n = d.Number
	}
	if p.order[0].Field.Type == selector.Age { // the youngest first, which is the latest moment; what is not known is the oldest
		n = -n
	}
	if p.order[0].Down {
		return -n
	}
	return n
}

// keysOf returns what a row is sorted by.
func (p *pager[R]) keysOf(b *selector.Rows, into []selector.Datum) []selector.Datum {
	for _, o := range p.order {
		k := value(o.Field, b)
		if o.Field.Type == selector.Text || o.Field.Type == selector.Choice || o.Field.Type == selector.Address {
			k.Text = selector.Fold(k.Text)
		}
		into = append(into, k)
	}
	return into
}

// before tells whether a row that comes later in the order given sorts before a kept one.
func (p *pager[R]) before(b *selector.Rows, k *keyed[R]) bool {
	if p.byNumber {
		if n := p.rank(value(p.order[0].Field, b)); n != k.number || len(p.order) == 1 {
			return n < k.number
		}
	}
	for i, o := range p.order {
		d := value(o.Field, b)
		if o.Field.Type == selector.Text || o.Field.Type == selector.Choice || o.Field.Type == selector.Address {
			d.Text = selector.Fold(d.Text)
		}
		if c := direct(o, compare(o.Field, d, k.keys[i])); c != 0 {
			return c < 0
		}
	}
	return false
}

func direct(o Order, c int) int {
	if o.Down {
		return -c
	}
	return c
}

func (p *pager[R]) compare(a, b keyed[R]) int {
	if p.byNumber {
		if c := cmp.Compare(a.number, b.number); c != 0 || len(p.order) == 1 {
			return cmp.Or(c, a.at-b.at)
		}
	}
	for i, o := range p.order {
		if c := direct(o, compare(o.Field, a.keys[i], b.keys[i])); c != 0 {
			return c
		}
	}
	return a.at - b.at
}

func (p *pager[R]) push(k keyed[R]) {
	p.kept = append(p.kept, k)
	for i := len(p.kept) - 1; i > 0; {
		parent := (i - 1) / 2
		if p.compare(p.kept[i], p.kept[parent]) <= 0 {
			break
		}
		p.kept[i], p.kept[parent] = p.kept[parent], p.kept[i]
		i = parent
	}
}

func (p *pager[R]) sink(i int) {
	for {
		child := 2*i + 1
		if child >= len(p.kept) {
			return
		}
		if child+1 < len(p.kept) && p.compare(p.kept[child+1], p.kept[child]) > 0 {
			child++
		}
		if p.compare(p.kept[child], p.kept[i]) <= 0 {
			return
		}
		p.kept[i], p.kept[child] = p.kept[child], p.kept[i]
		i = child
	}
}

// rows returns the page.
func (p *pager[R]) rows() []R {
	list := p.kept
	switch {
	case len(p.order) == 0:
	case p.deep():
		pick(list, p.offset, p.compare)
		list = list[min(p.offset, len(list)):]
		pick(list, p.limit, p.compare)
		list = list[:min(p.limit, len(list))]
		slices.SortFunc(list, p.compare)
	default:
		slices.SortFunc(list, p.compare)
		list = list[min(p.offset, len(list)):]
	}
	out := make([]R, len(list))
	for i, k := range list {
		out[i] = k.row
	}
	return out
}

// pick moves the n smallest to the front (quickselect with the median of three as pivot, in three ways, so that many of the
// same are no trap).
func pick[T any](list []T, n int, compare func(a, b T) int) {
	for n > 0 && n < len(list) {
		a, b, c := list[0], list[len(list)/2], list[len(list)-1]
		pivot := b
		switch {
		case (compare(a, b) < 0) == (compare(a, c) > 0):
			pivot = a
		case (compare(c, a) < 0) == (compare(c, b) > 0):
			pivot = c
		}
		low, same, high := 0, 0, len(list)
		for same < high {
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

// OfSerial picks the device of a serial number.
func OfSerial(serial string) selector.Expr { return is("serial", serial) }

// OfMAC picks the client of a hardware address.
func OfMAC(mac string) selector.Expr { return is("client.mac", mac) }

// OfAddress picks the end stations of an address.
func OfAddress(address string) selector.Expr { return is("client.address", address) }

func is(field, value string) selector.Expr { return selector.Is(Network.Field(field), value) }
