// Package rights is who may do what: roles made of rules, and what they come to for one person.
//
// A rule allows or denies verbs on features, where a selector picks. What no rule allows may not be done; what one denies
// may not be done whatever another allows. Each verb stands alone: who may change a thing may not, for that, see it.
//
// The package computes from what it is given. Who is asked, and when, is not its business.
package rights

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/selector"
)

// Verb is what is done.
type Verb string

// The verbs.
const (
	See        Verb = "see"
	Change     Verb = "change"     // what devices run, by drafts that are pushed
	Operate    Verb = "operate"    // take in hand: enrol, describe, retire, search, name
	Administer Verb = "administer" // what the product itself keeps: sites, people, roles
)

// Verbs lists the verbs, the lightest first.
func Verbs() []Verb { return []Verb{See, Change, Operate, Administer} }

// Feature is what it is done to.
type Feature string

// The features. The placed ones lie somewhere in the network, so that a rule about them can have a selector.
const (
	Sites         Feature = "sites"
	Devices       Feature = "devices"
	Configuration Feature = "configuration" // of devices, in their own form
	Ports         Feature = "ports"
	Clients       Feature = "clients"
	Changes       Feature = "changes"
	Events        Feature = "events"
	Groups        Feature = "groups"
	Alarms        Feature = "alarms"
	Tests         Feature = "tests"   // what devices are asked to try: ping, cable test and such
	Backups       Feature = "backups" // of what devices run
	Firmware      Feature = "firmware"
	Jobs          Feature = "jobs"      // work on many devices
	Guests        Feature = "guests"    // who are received on portals
	Terminals     Feature = "terminals" // on devices
	Templates     Feature = "templates" // of settings
	Discovery     Feature = "discovery"
	People        Feature = "people"
	Audit         Feature = "audit"
)

// Meaning tells what a verb comes to for a feature. What has none is not there to be done.
type Meaning struct {
	Verb    Verb
	Feature Feature
	Help    string
}

var meanings = []Meaning{
	{See, Sites, "the sites and what is said of them"},
	{Administer, Sites, "make, edit, merge and remove sites"},
	{See, Devices, "the devices and what is inside them"},
	{Operate, Devices, "enrol, claim, describe, rename, replace, restart, shut down, reset, retire and forget devices; accept their host keys, change the passwords by which the service logs in to them, and their certificates; end sessions on firewalls, and block sources there for a time; take stations off the air"},
	{Change, Devices, "draft, push, keep and undo changes of what devices run besides their ports: services"},
	{See, Configuration, "what devices run, whole and in their own form"},
	{See, Ports, "the ports, what is set and what is seen"},
	{Operate, Ports, "bounce ports, open those that were shut, clear their counters, and cycle the power that they feed"},
	{Change, Ports, "draft, push, keep and undo changes of ports"},
	{See, Clients, "the end stations and where they are"},
	{Operate, Clients, "give clients names"},
	{See, Changes, "drafts and changes, and what came of them"},
	{Operate, Changes, "approve changes of others, where a rule of the house asks for a second person"},
	{Administer, Changes, "the rules of the house: the hours of changes, and which need a second person"},
	{See, Events, "what happens and what happened"},
	{Administer, Events, "take over what another system kept: readings and events of the past"},
	{See, Alarms, "what is out of order, and what was done about it"},
	{Operate, Alarms, "acknowledge, assign, note, silence and close alarms"},
	{Administer, Alarms, "who is told of alarms, how and when; the mail server; what is promised"},
	{See, Tests, "what devices were asked to do, and what came back"},
	{Operate, Tests, "have devices ping, trace routes and test cables"},
	{See, Jobs, "the jobs: what is done on many devices, when, and what came of it"},
	{Operate, Jobs, "make, begin, hold, cancel and remove jobs, as far as what they do may be done"},
	{See, Backups, "which configurations of devices are kept; to read them takes to see configuration"},
	{Operate, Backups, "back up what devices run; pin and note backups"},
	{Administer, Backups, "how long backups are kept"},
	{See, Firmware, "the images there are, the baseline, and which devices miss it"},
	{Operate, Firmware, "have devices run the firmware of the baseline, or go back"},
	{Administer, Firmware, "add, approve and remove images; say what the baseline is"},
	{See, Guests, "who came as a guest, and who asks to be let in; vouchers and portals"},
	{Operate, Guests, "make and take back vouchers, let guests in, end their time"},
	{Administer, Guests, "the portals: what guests must do, for how long they are let in, how the page looks"},
	{See, Terminals, "the terminals that were opened, and what was shown in them"},
	{Operate, Terminals, "open terminals on devices, and do there whatever the device lets the service do"},
	{See, Templates, "templates: what they say, and of what"},
	{Change, Templates, "draft, push, keep and undo changes of templates, as far as all that they touch may be changed"},
	{See, Groups, "groups and shared scopes"},
	{Operate, Groups, "make, edit and delete groups and shared scopes"},
	{See, Discovery, "searches, and what they found"},
	{Operate, Discovery, "search for devices, dismiss what was found"},
	{See, People, "users, their roles, and what roles may do"},
	{Administer, People, "make, edit and remove users and roles; take back tokens; try a role"},
	{See, Audit, "the audit log and the verdict on its chain"},
}

// Meanings lists what there is to be done.
func Meanings() []Meaning { return slices.Clone(meanings) }

// Features lists the features.
func Features() []Feature {
	return []Feature{Sites, Devices, Configuration, Ports, Clients, Changes, Events, Alarms, Tests, Jobs, Backups, Firmware, Guests, Terminals, Templates, Groups, Discovery, People, Audit}
}

// Placed tells whether the feature lies somewhere in the network.
func (f Feature) Placed() bool {
	return slices.Index(Features(), f) <= slices.Index(Features(), Terminals)
}

// noun is what a placed feature is a list of.
func (f Feature) noun() selector.Noun {
	switch f {
	case Sites:
		return selector.Site
	case Ports:
		return selector.Port
	case Clients:
		return selector.Client
	}
	return selector.Device
}

// determines tells whether one thing of a placed feature decides by itself whether an expression picks it. To hide the
// firewalls is not to hide the sites that have one: a denial binds only what determines it.
func (f Feature) determines(e selector.Expr) bool {
	for _, n := range selector.NounsOf(e) {
		if !f.noun().Determines(n) {
			return false
		}
	}
	return true
}

// Effect is what a rule does.
type Effect string

// The effects.
const (
	Allow Effect = "allow"
	Deny  Effect = "deny"
)

// Rule is one sentence of a role.
type Rule struct {
	Effect   Effect    `json:"effect"`
	Verbs    []Verb    `json:"verbs"`    // none: all
	Features []Feature `json:"features"` // none: all
	Where    string    `json:"where"`    // a selector; empty: everywhere. It binds the placed features only
}

// String writes a rule as ParseRule reads it: allow see, operate on devices, clients where site = kelp-bay.
func (r Rule) String() string {
	out := string(r.Effect) + " " + joined(r.Verbs) + " on " + joined(r.Features)
	if r.Where != "" {
		out += " where " + r.Where
	}
	return out
}

const everything = "everything"

func joined[T ~string](list []T) string {
	if len(list) == 0 {
		return everything
	}
	words := make([]string, len(list))
	for i, w := range list {
		words[i] = string(w)
	}
	return strings.Join(words, ", ")
}

var sentence = regexp.MustCompile(`(?is)^\s*(allow|deny)\s+(.+?)\s+on\s+(.+?)(?:\s+where\s+(.*))?$`)

// ParseRule reads a rule from a sentence and checks it.
func ParseRule(text string) (Rule, error) {
	m := sentence.FindStringSubmatch(text)
	if m == nil {
		return Rule{}, fmt.Errorf("a rule reads like `allow see, operate on devices where site = kelp-bay`, not like `%s`", strings.TrimSpace(text))
	}
	r := Rule{Effect: Effect(strings.ToLower(m[1])), Verbs: words[Verb](m[2]), Features: words[Feature](m[3]), Where: strings.TrimSpace(m[4])}
	return r, r.Check()
}

func words[T ~string](text string) []T {
	if strings.EqualFold(strings.TrimSpace(text), everything) {
		return nil
	}
	var out []T
	for w := range strings.SplitSeq(text, ",") {
		if w = strings.ToLower(strings.TrimSpace(w)); w != "" {
			out = append(out, T(w))
		}
	}
	return out
}

// Check tells what is wrong with a rule.
func (r Rule) Check() error {
	if r.Effect != Allow && r.Effect != Deny {
		return fmt.Errorf("a rule allows or denies; `%s` is neither", r.Effect)
	}
	for _, v := range r.Verbs {
		if !slices.Contains(Verbs(), v) {
			return fmt.Errorf("there is no verb `%s`: there are %s", v, joined(Verbs()))
		}
	}
	for _, f := range r.Features {
		if !slices.Contains(Features(), f) {
			return fmt.Errorf("there is no feature `%s`: there are %s", f, joined(Features()))
		}
		if r.Where != "" && !f.Placed() {
			return fmt.Errorf("%s lie nowhere in the network: a rule about them takes no selector", f)
		}
	}
	if !r.meansSomething() {
		return fmt.Errorf("there is nothing to %s on %s", joined(r.Verbs), joined(r.Features))
	}
	where, err := ParseWhere(r.Where)
	if err != nil {
		return err
	}
	for _, f := range r.Features {
		if r.Effect == Deny && !f.determines(where) {
			return fmt.Errorf("a denial about %s cannot ask for properties of their parts: `%s`", f, r.Where)
		}
	}
	return nil
}

func (r Rule) meansSomething() bool {
	return slices.ContainsFunc(meanings, func(m Meaning) bool { return r.speaksOf(m.Verb, m.Feature) })
}

func (r Rule) speaksOf(v Verb, f Feature) bool {
	return (len(r.Verbs) == 0 || slices.Contains(r.Verbs, v)) && (len(r.Features) == 0 || slices.Contains(r.Features, f))
}

// ParseWhere reads the selector of a rule or of a person. It must name the fields that it asks for: a bare word would be
// looked for in other texts for a site than for a port.
func ParseWhere(text string) (selector.Expr, error) {
	e, err := catalog.Network.Parse(text)
	if err != nil {
		return nil, err
	}
	if catalog.SpeaksOfGroups(e) {
		return nil, fmt.Errorf("`%s` asks for a group: where it is about rights, a selector must not depend on who may edit groups", text)
	}
	if (catalog.Query{Where: e}).SpeaksOfLinks() {
		return nil, fmt.Errorf("`%s` asks for links: where it is about rights, a selector must speak of what is at one place", text)
	}
	if selector.HasWords(e) {
		return nil, fmt.Errorf("`%s` has a bare word in it: where it is about rights, a selector must name its fields", text)
	}
	return e, nil
}

// Role is a named set of rules.
type Role struct {
	Name, Title string
	Rules       []Rule
	Ready       bool // comes with the product and cannot be edited
}

const (
	maxRules  = 50
	maxTitle  = 200
	nameWords = `^[a-z][a-z0-9-]{0,62}$`
)

var roleName = regexp.MustCompile(nameWords)

// Check tells what is wrong with a role.
func (r Role) Check() error {
	switch {
	case !roleName.MatchString(r.Name):
		return fmt.Errorf("a role's name has up to 63 small letters, digits and hyphens, a letter first: `%s` has not", r.Name)
	case utf8.RuneCountInString(r.Title) > maxTitle:
		return fmt.Errorf("the title of a role has at most %d characters", maxTitle)
	case len(r.Rules) == 0:
		return fmt.Errorf("a role without a rule may do nothing: give it one")
	case len(r.Rules) > maxRules:
		return fmt.Errorf("a role has at most %d rules", maxRules)
	}
	for i, rule := range r.Rules {
		if err := rule.Check(); err != nil {
			return fmt.Errorf("rule %d: %w", i+1, err)
		}
	}
	return nil
}

// Ready lists the roles that come with the product.
func Ready() []Role {
	network := []Feature{Sites, Devices, Configuration, Ports, Clients, Changes, Events, Alarms, Tests, Jobs, Backups, Firmware, Guests, Templates, Groups}
	role := func(name, title string, rules ...Rule) Role {
		return Role{Name: name, Title: title, Rules: rules, Ready: true}
	}
	allow := func(features []Feature, verbs ...Verb) Rule {
		return Rule{Effect: Allow, Verbs: verbs, Features: features}
	}
	return []Role{
		role("administrator", "does everything", allow(nil)),
		role("operator", "watches the network and takes its devices in hand; changes nothing that they run",
			allow(append(slices.Clone(network), Discovery), See), allow([]Feature{Devices, Ports, Clients, Changes, Alarms, Tests, Jobs, Backups, Firmware, Guests, Terminals, Groups, Discovery}, Operate)),
		role("technician", "adds, swaps and connects devices at a site", allow(network, See), allow([]Feature{Devices, Ports, Clients, Alarms, Tests, Jobs, Backups, Guests, Terminals}, Operate), allow([]Feature{Ports}, Change)),
		role("security-officer", "sees everything: who may reach what, and who changed what", allow(nil, See), allow([]Feature{Changes}, Operate)),
		role("manager", "sees how the network does, not what its devices run", allow([]Feature{Sites, Devices, Ports, Clients, Changes, Events, Alarms, Jobs, Firmware, Guests, Groups}, See)),
		role("viewer", "sees the network", allow(network, See)),
	}
}
