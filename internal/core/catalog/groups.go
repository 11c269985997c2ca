package catalog

import (
	"slices"

	"example.net/everypost/internal/core/selector"
)

// Group is a set of devices with a name: those that a selector picks, or those that were picked by hand.
type Group struct {
	Name    string
	Pick    selector.Expr // nil: by hand
	Members []string      // of a group picked by hand
}

// groupField stands in an expression for what a group picks. It has no value of its own: Expand replaces it.
const groupField = "group"

// IsGroup tells whether a field is that by which groups are asked for.
func IsGroup(f *selector.Field) bool { return f.Name == groupField }

// Names tells whether a field is but the name of a site, a device or a group.
func Names(f *selector.Field) bool {
	return f.Name == "site" || f.Name == "name" || f.Name == groupField
}

func (g Group) expr() selector.Expr {
	if g.Pick != nil {
		return g.Pick
	}
	out := make(selector.Or, len(g.Members))
	for i, m := range g.Members {
		out[i] = OnDevice(m)
	}
	switch len(out) {
	case 0:
		return selector.Not{Of: selector.All{}}
	case 1:
		return out[0]
	}
	return out
}

// SpeaksOfGroups tells whether an expression asks for groups.
func SpeaksOfGroups(e selector.Expr) bool {
	return slices.ContainsFunc(selector.Fields(e), func(f *selector.Field) bool { return f.Name == groupField })
}

// Expand puts what groups pick in the place of their names. A group that there is not picks nothing.
func Expand(e selector.Expr, groups []Group) selector.Expr {
	if !SpeaksOfGroups(e) {
		return e
	}
	return selector.Replace(e, func(c *selector.Compare) selector.Expr {
		if c.Field.Name != groupField {
			return c
		}
		return selector.Expand(c, func(matches func(string) bool) selector.Expr {
			var out selector.Or
			for _, g := range groups {
				if matches(g.Name) {
					out = append(out, g.expr())
				}
			}
			switch len(out) {
			case 0:
				return selector.Not{Of: selector.All{}}
			case 1:
				return out[0]
			}
			return out
		})
	})
}
