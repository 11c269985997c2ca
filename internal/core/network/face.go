package network

import (
	"slices"
	"strconv"
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

// models lists the fronts that we know, by blocks of ports from the left.
var models = map[string][]block{
	"H8":   {{Copper, "1/1/", 1, 8, 1}, {Cage, "1/1/", 9, 2, 1}},
	"H24P": {{Copper, "1/1/", 1, 24, 2}, {Cage, "1/1/", 25, 4, 2}},
	"H48P": {{Copper, "1/1/", 1, 48, 2}, {Cage, "1/1/", 49, 4, 2}},
	"S200": {{Copper, "port", 1, 8, 2}, {Cage, "port", 9, 2, 2}},
	"E50":  {{Copper, "wan", 1, 2, 1}, {Copper, "lan", 1, 4, 1}},
	"A2":   {{Copper, "eth", 0, 1, 1}, {Radio, "radio", 0, 2, 1}},
}

// FaceOf returns the front of a model with the ports that the device has. A model that is not known, or ports that its
// front does not show, are laid out in the order of their names.
func FaceOf(model string, ports []string) Face {
	f := Face{Model: model}
	left := slices.Clone(ports)
	slices.SortFunc(left, ComparePorts)
	column, group := 0, 0
	for _, b := range models[model] {
		for i := range b.count {
			name := b.prefix + strconv.Itoa(b.first+i)
			at := slices.Index(left, name)
			if at < 0 {
				continue
			}
			left = slices.Delete(left, at, at+1)
			label := strconv.Itoa(b.first + i)
			if b.prefix != "1/1/" {
				label = name
			}
			f.Ports = append(f.Ports, FacePort{Port: name, Label: label, Kind: b.kind, Column: column + i/b.rows, Row: i % b.rows, Group: group})
		}
		column += (b.count + b.rows - 1) / b.rows
		group++
	}
	for i, name := range left {
		f.Ports = append(f.Ports, FacePort{Port: name, Label: name, Kind: Copper, Column: column + i/2, Row: i % 2, Group: group})
	}
	return f
}
