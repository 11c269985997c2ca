package network

import (
	"slices"
	"strconv"
	"strings"
)

// PortKind is what a port takes.
type PortKind string

// The kinds of ports.
const (
	Copper PortKind = "copper"
	Cage   PortKind = "cage"
	Radio  PortKind = "radio"
)

// FacePort is a port's place on the front of a device: columns from the left, rows from the top, both from 0.
type FacePort struct {
	Port   string   `json:"port"`
	Label  string   `json:"label"`
	Kind   PortKind `json:"kind"`
	Column int      `json:"column"`
	Row    int      `json:"row"`
	Group  int      `json:"group"` // ports of one group stand together
	Unit   int      `json:"unit"`  // the box, from 1: a stack has several
}

// Face is the front of a device as it is built.
type Face struct {
	Model string     `json:"model"`
	Ports []FacePort `json:"ports"`
}

type block struct {
	kind   PortKind
	prefix string
	first  int
	count  int
	rows   int
}

// models lists the fronts that we know, by blocks of ports from the left. The prefix 1/1/ stands for that of any unit.
var models = map[string][]block{
	"H8":   {{Copper, unitPrefix, 1, 8, 2}, {Cage, unitPrefix, 9, 2, 2}},
	"H24P": {{Copper, unitPrefix, 1, 24, 2}, {Cage, unitPrefix, 25, 4, 2}},
	"H48P": {{Copper, unitPrefix, 1, 48, 2}, {Cage, unitPrefix, 49, 4, 2}},
	"H12R": {{Copper, unitPrefix, 1, 8, 2}, {Cage, unitPrefix, 9, 4, 2}},
	"H32C": {{Cage, unitPrefix, 1, 32, 2}},
	"H16S": {{Cage, unitPrefix, 1, 16, 2}},
	"S200": {{Copper, "lan", 1, 8, 2}, {Cage, "wan", 1, 2, 2}},
	"S800": {{Copper, "lan", 1, 16, 2}, {Cage, "lan", 17, 4, 2}},
	"E50":  {{Copper, "wan", 1, 2, 1}, {Radio, "cell", 0, 1, 1}, {Copper, "lan", 1, 4, 2}},
	"E500": {{Cage, "wan", 1, 4, 2}, {Cage, "lan", 1, 8, 2}},
	"A2":   {{Copper, "eth", 0, 1, 1}, {Radio, "radio", 0, 2, 1}},
	"A5":   {{Copper, "eth", 0, 1, 1}, {Radio, "radio", 0, 2, 1}},
	"R18":  {{Copper, "eth", 0, 1, 1}, {Radio, "radio", 0, 1, 1}},
}

const unitPrefix = "1/1/"

// FaceOf returns the front of a model with the ports that the device has, unit by unit. A model that is not known, or
// ports that its front does not show, are laid out in the order of their names.
func FaceOf(model string, ports []string) Face {
	f := Face{Model: model}
	left := slices.Clone(ports)
	slices.SortFunc(left, ComparePorts)
	for unit := 1; unit == 1 || slices.ContainsFunc(left, func(p string) bool { return strings.HasPrefix(p, strconv.Itoa(unit)+"/1/") }); unit++ {
		left = f.addUnit(unit, model, left)
	}
	last := 0
	if n := len(f.Ports); n > 0 {
		last = f.Ports[n-1].Column + 1
	}
	for i, name := range left {
		f.Ports = append(f.Ports, FacePort{Port: name, Label: name, Kind: Copper, Column: last + i/2, Row: i % 2, Group: len(models[model]), Unit: 1})
	}
	return f
}

// addUnit draws the ports of one box and returns those that are left.
func (f *Face) addUnit(unit int, model string, left []string) []string {
	column := 0
	for group, b := range models[model] {
		prefix := b.prefix
		if prefix == unitPrefix {
			prefix = strconv.Itoa(unit) + "/1/"
		} else if unit > 1 {
			continue
		}
		for i := range b.count {
			name := prefix + strconv.Itoa(b.first+i)
			at := slices.Index(left, name)
			if at < 0 {
				continue
			}
			left = slices.Delete(left, at, at+1)
			label := name
			if b.prefix == unitPrefix {
				label = strconv.Itoa(b.first + i)
			}
			f.Ports = append(f.Ports, FacePort{Port: name, Label: label, Kind: b.kind, Column: column + i/b.rows, Row: i % b.rows, Group: group, Unit: unit})
		}
		column += (b.count + b.rows - 1) / b.rows
	}
	return left
}
