package wireless

import (
	"maps"
	"math"
	"slices"

	"example.net/everypost/internal/core/radio"
)

// Move is a radio with the channel on which it sends, and the one that a plan gives it.
type Move struct {
	Radio
	Width         int
	Before, After int
	// How much of the time its channel would be taken, in percent, by what is known now: its own stations, and all that it hears there.
	BusyBefore, BusyAfter float64
}

// Changes tells whether it gets another channel.
func (m Move) Changes() bool { return m.Before != m.After }

const (
	quietDbm = -86 // what is heard no more
	loudDbm  = -62 // what takes all of its time from others too
	// A radio that nobody is at sends beacons and answers searches: this part of the time, in percent.
	idle = 5.0
	// perStation is what a station takes besides, in percent of the time, at 20 MHz.
	perStation = 2.0
	// strangerBusy is what a radio of somebody else is taken to send, in percent.
	strangerBusy = 9.0
	// A move is worth it if it saves the radios of a site so much together, in percent of the time of one; and one onto a channel on which radar may be
	// heard, at which it has to leave, so much more.
	worth, radarCost = 1.5, 0.5
)

// plan is what a channel plan is worked out from.
type plan struct {
	moves []Move
	loads []float64
	heard []map[int]float64 // by who hears whom: which part of the other's time is lost
	rest  [][]other         // what each hears of strangers
}

type other struct {
	channel, width int
	part           float64
}

// Plan gives the radios of a band other channels where that leaves them more time, each as wide as it is: from how it is now, one radio after the other
// is moved to where all of them together are disturbed least, until no move is worth it. Radios that are away, or off, stay.
func Plan(radios []Radio, band radio.Band) []Move {
	p := plan{}
	for _, r := range radios {
		if r.Told.Band != band || r.Now.Channel == 0 {
			continue
		}
		width := r.Now.WidthMHz
		if width == 0 {
			width = 20
		}
		p.moves = append(p.moves, Move{Radio: r, Width: width, Before: r.Now.Channel, After: r.Now.Channel})
		p.loads = append(p.loads, idle+perStation*float64(r.Stations)/math.Sqrt(float64(width)/20))
	}
	p.hear()
	for i := range p.moves {
		p.moves[i].BusyBefore = p.busy(i, p.moves[i].After)
	}
	for _, g := range p.groups() {
		for range 3 * len(g) { // each move saves something: it ends by itself, and soon
			if !p.improve(g) {
				break
			}
		}
	}
	for i := range p.moves {
		p.moves[i].BusyAfter = p.busy(i, p.moves[i].After)
	}
	return p.moves
}

// hear works out who hears whom: radios of the house are known by their hardware addresses.
func (p *plan) hear() {
	n := len(p.moves)
	p.heard, p.rest = make([]map[int]float64, n), make([][]other, n)
	own := map[string]int{}
	for i, m := range p.moves {
		if m.MAC != "" {
			own[m.MAC] = i
		}
	}
	for i, m := range p.moves {
		p.heard[i] = map[int]float64{}
		for _, h := range m.Heard {
			part := math.Max(0, math.Min(1, float64(h.SignalDbm-quietDbm)/(loudDbm-quietDbm)))
			if j, ours := own[h.BSSID]; ours {
				p.heard[i][j] = math.Max(p.heard[i][j], part)
			} else {
				p.rest[i] = append(p.rest[i], other{h.Channel, max(h.WidthMHz, 20), part})
			}
		}
	}
}

// groups are radios of which each hears, or is heard by, another one of its group: what one group does is nothing to the others.
func (p *plan) groups() (out [][]int) {
	near := make([][]int, len(p.moves))
	for i := range p.heard {
		for j, part := range p.heard[i] {
			if part > 0 {
				near[i], near[j] = append(near[i], j), append(near[j], i)
			}
		}
	}
	seen := make([]bool, len(p.moves))
	for i := range p.moves {
		if seen[i] {
			continue
		}
		seen[i] = true
		group := []int{i}
		for k := 0; k < len(group); k++ {
			for _, j := range near[group[k]] {
				if !seen[j] {
					seen[j] = true
					group = append(group, j)
				}
			}
		}
		slices.Sort(group)
		out = append(out, group)
	}
	return out
}

// overlap is the part of a channel on which another one is sent too.
func overlap(band radio.Band, channel, width, o, oWidth int) float64 {
	if band == radio.Band2 {
		a, b := 5*channel, 5*o
		low, high := max(a-width/2, b-oWidth/2), min(a+width/2, b+oWidth/2)
		return math.Max(0, float64(high-low)) / float64(width)
	}
	mine, theirs, both := radio.Block(band, channel, width), radio.Block(band, o, oWidth), 0
	for _, c := range mine {
		if slices.Contains(theirs, c) {
			both++
		}
	}
	if len(mine) == 0 {
		return 0
	}
	return float64(both) / float64(len(mine))
}

// busy is how much of the time a channel would be taken at a radio.
func (p *plan) busy(i, channel int) float64 {
	m := p.moves[i]
	out := p.loads[i]
	for _, j := range slices.Sorted(maps.Keys(p.heard[i])) { // in an order, so that the same network has the same plan
		if part := p.heard[i][j]; part > 0 {
			out += part * p.loads[j] * overlap(m.Told.Band, channel, m.Width, p.moves[j].After, p.moves[j].Width)
		}
	}
	for _, o := range p.rest[i] {
		out += o.part * strangerBusy * overlap(m.Told.Band, channel, m.Width, o.channel, o.width)
	}
	return out
}

// cost is what the radios of a group lose while one of them is on a channel.
func (p *plan) cost(group []int, i, channel int) float64 {
	was := p.moves[i].After
	p.moves[i].After = channel
	sum := 0.0
	for _, j := range group {
		if j == i || p.heard[j][i] > 0 {
			sum += p.busy(j, p.moves[j].After)
		}
	}
	p.moves[i].After = was
	return sum
}

// improve moves the radio of a group of which the move saves most, if any is worth it.
func (p *plan) improve(group []int) bool {
	best, to, saves := -1, 0, worth
	for _, i := range group {
		m := p.moves[i]
		if m.Away || !m.Told.On {
			continue
		}
		now := p.cost(group, i, m.After)
		for _, c := range candidates(m) {
			if c.Number == m.After {
				continue
			}
			s := now - p.cost(group, i, c.Number)
			if c.Radar {
				s -= radarCost
			}
			if s > saves {
				best, to, saves = i, c.Number, s
			}
		}
	}
	if best < 0 {
		return false
	}
	p.moves[best].After = to
	return true
}

// candidates are the channels on which a radio could send, as wide as it is: at 2.4 GHz those that leave each other alone, at 5 GHz the first of each block, at 6 GHz the
// first of each block on which stations search.
func candidates(m Move) (out []radio.Channel) {
	for _, c := range radio.Channels(m.Country, m.Told.Band) {
		if m.Told.Band == radio.Band2 && !slices.Contains([]int{1, 6, 11}, c.Number) {
			continue
		}
		block := radio.Block(m.Told.Band, c.Number, m.Width)
		first := slices.IndexFunc(block, func(n int) bool { return radio.Searched(m.Told.Band, n) })
		if first < 0 || m.Told.Band != radio.Band2 && block[first] != c.Number {
			continue
		}
		if radio.Check(m.Country, m.Told.Band, c.Number, m.Width, m.Told.PowerDBm) == nil {
			out = append(out, c)
		}
	}
	return out
}

// Total adds up how much of their time the radios of a plan lose, before and after.
func Total(moves []Move) (before, after float64) {
	for _, m := range moves {
		before, after = before+m.BusyBefore, after+m.BusyAfter
	}
	return before, after
}
