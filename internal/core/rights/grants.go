package rights

import (
	"slices"

	"example.net/everypost/internal/core/selector"
)

type need struct {
	verb    Verb
	feature Feature
}

// Grants is what rules come to for one person. The zero Grants grant nothing.
type Grants struct{ of map[need]selector.Expr }

// Compile works out what a person of a role may do who is confined to what only picks (nil or selector.All: not confined).
// Who is confined has no right to anything that lies nowhere in the network, but to see the groups.
func Compile(rules []Rule, only selector.Expr) (Grants, error) {
	confined := only != nil && only != (selector.All{})
	g := Grants{of: map[need]selector.Expr{}}
	for _, m := range meanings {
		var allow, deny selector.Or
		for _, r := range rules {
			if !r.speaksOf(m.Verb, m.Feature) || r.Where != "" && !m.Feature.Placed() {
				continue
			}
			where, err := ParseWhere(r.Where)
			if err != nil {
				return Grants{}, err
			}
			switch {
			case r.Effect == Allow:
				allow = append(allow, where)
			case m.Feature.determines(where):
				deny = append(deny, where)
			}
		}
		unplaced := confined && !m.Feature.Placed() && !(m.Verb == See && m.Feature == Groups)
		if everywhere(deny) || len(allow) == 0 || unplaced {
			continue
		}
		where := selector.Expr(selector.All{})
		if !everywhere(allow) {
			where = either(allow)
		}
		if len(deny) > 0 {
			where = selector.Both(where, selector.Not{Of: either(deny)})
		}
		if m.Feature.Placed() && confined {
			where = selector.Both(where, only)
		}
		g.of[need{m.Verb, m.Feature}] = where
	}
	return g, nil
}

func everywhere(list selector.Or) bool {
	return slices.ContainsFunc(list, func(e selector.Expr) bool { return e == selector.Expr(selector.All{}) })
}

func either(list selector.Or) selector.Expr {
	if len(list) == 1 {
		return list[0]
	}
	return list
}

// Of tells whether there is anything to which the verb may be done, and what: All is everything.
func (g Grants) Of(v Verb, f Feature) (where selector.Expr, some bool) {
	where, some = g.of[need{v, f}]
	return where, some
}

// OnlySee keeps of the grants what is about seeing.
func (g Grants) OnlySee() Grants {
	out := Grants{of: map[need]selector.Expr{}}
	for n, where := range g.of {
		if n.verb == See {
			out.of[n] = where
		}
	}
	return out
}

// Grant is a right that somebody has.
type Grant struct {
	Verb    Verb
	Feature Feature
	Where   string // a selector; empty: everywhere
}

// List lists the grants in the order of Meanings.
func (g Grants) List() []Grant {
	var out []Grant
	for _, m := range meanings {
		if where, some := g.Of(m.Verb, m.Feature); some {
			out = append(out, Grant{m.Verb, m.Feature, where.String()})
		}
	}
	return out
}
