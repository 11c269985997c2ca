// Package policy_test drives what firewalls let pass: set by drafts, decided by simulated firewalls, and told by interface, commands and console.
package policy_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

const policy = "ng-fw-01:policy/main"

func northgate(t *testing.T) *rig.Rig {
	t.Helper()
	r := rig.StartPart(t, "ng-edge-01", "northgate")
	r.AwaitAll(t)
	return r
}

// ruleOf waits until a rule decided on some sessions.
func ruleOf(t *testing.T, r *rig.Rig, number int, after uint64) v1.PolicyRule {
	t.Helper()
	var out v1.PolicyRule
	require.Eventually(t, func() bool {
		p, err := r.Policy(t.Context(), "ng-fw-01")
		require.NoError(t, err)
		for _, one := range p.List {
			if one.Number == number && one.Sessions != nil && *one.Sessions > after {
				out = one
				return true
			}
		}
		return false
	}, rig.WaitLong, rig.WaitStep, "rule %d decides on nothing", number)
	return out
}

func level(c v1.Change, id string) string {
	for _, f := range c.Findings {
		if f.ID == id {
			return f.Level
		}
	}
	return ""
}

// telephones is what the telephones of the call floor send at the moment, in bit/s.
func telephones(t *testing.T, r *rig.Rig) (bps float64) {
	t.Helper()
	ports, err := r.Ports(t.Context(), client.Query{Where: `name = ng-sw-01 and port.description ~ "Phone*"`, Limit: 100})
	require.NoError(t, err)
	require.NotEmpty(t, ports.Items)
	for _, p := range ports.Items {
		if p.Rates != nil {
			bps += p.Rates.RxBps
		}
	}
	return bps
}

// What is denied does not pass: telephones that may not speak fall silent, the rule that decides counts, and an independent client reads it on the
// firewall. The draft said before whom it hits.
func TestWhatIsDeniedDoesNotPass(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	speaks := ruleOf(t, r, 10, 0)
	require.Eventually(t, func() bool { return telephones(t, r) > 0 }, rig.WaitLong, rig.WaitStep)
	c := r.Draft(t, [3]string{policy, "rules/5", `deny from voice to any note "silence on the call floor"`})
	assert.Equal(t, "warn", level(c, "firewall:"+policy+":10"), "rule 10 never decides any more")
	assert.Equal(t, "warn", level(c, "firewall:"+policy+":closes"), "it is in use")
	d, err := r.ChangePolicy(t.Context(), c.Number)
	require.NoError(t, err)
	assert.Equal(t, v1.PolicyDeltas{Whole: true, Items: []v1.PolicyDelta{{Device: "ng-fw-01", Rule: 10, From: "voice", To: "outside", Source: "any", Destination: "call-servers", Service: "calls"}}}, d)
	var accept []string
	for _, f := range c.Findings {
		accept = append(accept, f.ID)
	}
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60, Accept: accept})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "kept")

	denies := ruleOf(t, r, 5, 0)
	assert.Equal(t, "deny", denies.Action)
	assert.NotNil(t, denies.LastAt)
	require.Eventually(t, func() bool { return telephones(t, r) == 0 }, rig.WaitLong, rig.WaitStep)
	assert.Equal(t, "shadowed", ruleOf(t, r, 10, *speaks.Sessions-1).Fault)
	read := r.Asked(t, "ng-fw-01", `<firewall xmlns="urn:everypost:yang:ep-firewall"><policy><rule><number>5</number></rule></policy></firewall>`)
	assert.Contains(t, read, "<number>5</number><action>deny</action><from>voice</from>")
	assert.Contains(t, read, "silenceonthecallfloor")

	require.NoError(t, r.World.Throw(standin.Hang, "ng-fw-01"))
	r.Restart(t)
	last, err := r.Policy(t.Context(), "ng-fw-01")
	require.NoError(t, err)
	assert.Len(t, last.List, 9, "what it was last seen to run")
}

// A draft that opens what was shut says so, in words and as a table; what names nothing, and a group that holds itself, is stopped before the device
// is asked; and a draft is told of before it is checked.
func TestADraftSaysWhatItOpens(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	answer, err := r.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{{Port: "ng-fw-01:service/web", Field: "services", Value: "tcp/80,tcp/443,tcp/8443"}}})
	require.NoError(t, err)
	require.Equal(t, "draft", answer.State)
	d, err := r.ChangePolicy(t.Context(), answer.Number)
	require.NoError(t, err)
	require.NotEmpty(t, d.Items)
	for _, x := range d.Items {
		assert.True(t, x.Opens)
		assert.Equal(t, "tcp/8443", x.Service)
	}
	for says, edits := range map[string][][3]string{
		"names security zone lounge":    {{policy, "rules/15", "allow from lounge to outside"}},
		"names service teleport":        {{policy, "rules/15", "allow from office to outside service teleport"}},
		"names schedule high-tide":      {{policy, "rules/15", "allow from office to outside during high-tide"}},
		"Address counters of ng-fw-01":  {{"ng-fw-01:address/counters", "members", "ticketing"}},
		"VLAN 30 would be in two zones": {{"ng-fw-01:security-zone/office", "zone-vlans", "20,30"}},
	} {
		c := r.Draft(t, edits...)
		stops := ""
		for _, f := range c.Findings {
			if f.Level == "stop" {
				stops += f.What
			}
		}
		assert.Contains(t, stops, says)
		require.NoError(t, r.Discard(t.Context(), c.Number))
	}
	for says, in := range map[string]v1.Edit{
		"any.where":                         {Port: "ng-fw-01:address/any.where", Field: "present", Value: "on"},
		"rule 30 of the policy uses it":     {Port: "ng-fw-01:address/ticketing", Field: "present", Value: "off"},
		"it has but one, main":              {Port: "ng-fw-01:policy/other", Field: "present", Value: "on"},
		"is not one of allow, deny":         {Port: policy, Field: "rules/15", Value: "permit from office to outside"},
		`"to" is missing`:                   {Port: policy, Field: "rules/15", Value: "allow from office"},
		"icmp has no ports":                 {Port: "ng-fw-01:service/web", Field: "services", Value: "icmp/7"},
		"is not a port or a range of ports": {Port: "ng-fw-01:service/web", Field: "services", Value: "tcp/99999"},
		"runs backwards":                    {Port: "ng-fw-01:address/desks", Field: "addresses", Value: "10.7.20.9-10.7.20.1"},
		"no date":                           {Port: policy, Field: "rules/15", Value: "allow from office to outside until tomorrow"},
	} {
		_, err := r.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{in}})
		require.Error(t, err, says)
		assert.Contains(t, err.Error(), says)
	}
}

// Of thousands of rules that are pasted each wrong one is named, and nothing is taken.
func TestEachWrongRuleIsNamed(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	lines := make([]string, 5000)
	for i := range lines {
		lines[i] = fmt.Sprintf("%d allow from office to outside destination 10.9.%d.%d/32 service web", i+1, i/250, i%250)
	}
	lines[16], lines[999], lines[4321] = "17 allow office to outside", "1000 alow from office to outside", "4322 allow from office to outside service tcp/0"
	_, err := r.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{{Port: policy, Field: "rules", Value: strings.Join(lines, "\n")}}})
	require.Error(t, err)
	for _, row := range []string{"row 17:", "row 1000:", "row 4322:"} {
		assert.Contains(t, err.Error(), row)
	}
	lines[16], lines[999], lines[4321] = "17 allow from office to outside", "1000 allow from office to outside", "4322 allow from office to outside"
	c, err := r.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{{Port: policy, Field: "rules", Value: strings.Join(lines[:1000], "\n")}}})
	require.NoError(t, err)
	assert.Equal(t, 1000, c.EditCount)
}

func TestWhoMaySeePolicies(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	away := r.Confine(t, "esker", "operator", "name = ng-sw-02")
	switches := r.Confine(t, "bram", "operator", "kind = switch")
	list, err := away.Policies(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, list.Items)
	list, err = switches.Policies(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, list.Items)
	_, err = switches.Policy(t.Context(), "ng-fw-01")
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "ng-fw-01")
	list, err = r.Policies(t.Context(), "name = ng-fw-01")
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	assert.Equal(t, [2]any{8, map[string]int{"shadowed": 1}}, [2]any{list.Items[0].Rules, list.Items[0].Faults})
	_, err = r.Policies(t.Context(), "knd = switch")
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemSelector, "kind")
	_, err = r.Policy(t.Context(), "ng-sw-01")
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "no firewall")
	c := r.Draft(t, [3]string{policy, "rules/15", "allow from office to outside destination 10.9.9.9/32"})
	_, err = switches.ChangePolicy(t.Context(), c.Number)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
}

func TestPoliciesByCommand(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	c := rig.SignedIn(t, r)
	assert.Regexp(t, `ng-fw-01 +tern-haven +8 +\d+ +\d+ +1 shadowed\n`, c.Good("policies").Out)
	assert.Regexp(t, `80 +allow +office +outside +desks +any +web +\d* +\S* *(\d+ s|now)? +shadowed by 40,70 +the call floor reads the news`, c.Good("policy", "ng-fw-01").Out)
	assert.Regexp(t, `address +ticketing +with counters,boarding-halls +rule 30 of the policy`, c.Good("policy", "ng-fw-01", "--names").Out)
	said := c.Good("rows", "add", policy, `allow from guests to office destination desks service file-sharing note "for a day"`, "--at", "before-60")
	_, after, ok := strings.Cut(said.Err, "In draft ")
	require.True(t, ok, said.Err)
	number, _, _ := strings.Cut(after, ".")
	assert.Regexp(t, `ng-fw-01 +opens +guests +any +office +desks +file-sharing +55`, c.Good("policy", "effect", number).Out)
	assert.Equal(t, 3, c.Run("", "policy", "ng-sw-01").Code)
	assert.Equal(t, 2, c.Run("", "policy", "effect", "first").Code)
	assert.Contains(t, c.Good("policies", "name = ng-sw-01").Err, "No firewall there")
}

func TestPoliciesByConsole(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/policies"), browser.Shows("1 firewall"), browser.Shows("telephones register and speak"), browser.Shows("never decides: rules 40, 70"),
		browser.Press("Addresses"), browser.Shows("with counters, boarding-halls"),
		browser.Press("Edit the rules"), browser.Shows("Rules"), browser.Press("Add last"),
		browser.On(`document.querySelector('select[aria-label="Action of row 90"]')`, `Object.getOwnPropertyDescriptor(Object.getPrototypeOf(e), "value").set.call(e, "allow"), e.dispatchEvent(new Event("change", {bubbles: true}))`),
		browser.Replace(`input[aria-label="From of row 90 (from)"]`, "crew"), browser.Replace(`input[aria-label="To of row 90 (to)"]`, "office"), browser.Press("Done"),
		browser.Press("Put into a new draft"), browser.Shows("What passes"), browser.Shows("opens"),
	))
	c, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	require.NotEmpty(t, c.Items)
	assert.Equal(t, "allow from crew to office", c.Items[0].Edits[0].Value)
	assert.Empty(t, b.Complaints)
}
