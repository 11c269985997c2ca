package rights_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	"example.net/everypost/internal/api/server"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/race"
	"example.net/everypost/internal/testing/rig"
)

// Whoever may see but one noun can ask nothing by the fields of another: every route that takes a selector, every field, and
// roles that see one thing each.
func TestNobodyAsksByWhatHeMayNotSee(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	features := map[string]string{"site": "sites", "device": "devices", "port": "ports", "client": "clients", "link": "devices"}
	tokens := map[string]string{}
	for _, feature := range []string{"sites", "devices", "ports", "clients"} {
		require.NoError(t, r.PutRole(t.Context(), "sees-"+feature, v1.RoleRequest{Rules: []v1.Rule{{Sentence: "allow see on events, configuration, " + feature}}}))
		tokens[feature] = r.As(t, "sees."+feature, "sees-"+feature).Token
	}
	fields, err := r.Fields(t.Context(), "")
	require.NoError(t, err)
	require.Greater(t, len(fields.Items), 60)
	asked := 0
	for path, item := range server.API("test").Paths {
		op := item.Get
		if op == nil || strings.Contains(path, "{") || !slices.ContainsFunc(op.Parameters, func(p *huma.Param) bool { return p.Name == "where" }) {
			continue
		}
		right, _ := op.Extensions["x-everypost-right"].(string)
		subject := map[string]string{"/api/v1/sites": "sites", "/api/v1/ports": "ports", "/api/v1/clients": "clients"}[path]
		if subject == "" {
			subject = "devices"
		}
		for feature, token := range tokens {
			entry := right == "see "+feature || right == "see events" || right == "see configuration"
			for i, f := range fields.Items {
				if race.Fewer(1, 6) > 1 && (i+len(path))%6 != 0 || !entry && i%10 != 0 {
					continue // who may not ask at all is refused before it is read what he asks
				}
				q := url.Values{"where": {expressionOf(f)}, "limit": {"1"}, "from": {time.Now().Add(-time.Hour).Format(time.RFC3339)}}
				status, answer := r.Asks(t, token, http.MethodGet, path+"?"+q.Encode(), "")
				asked++
				allowed := entry && (features[f.Of] == feature || f.Name == "site" || f.Name == "name" || f.Name == "group")
				switch {
				case !allowed:
					ok := status == http.StatusForbidden || status == http.StatusUnprocessableEntity || // some cannot be asked of what happened
						status == http.StatusOK && feature != subject && !strings.Contains(answer, "th-") // of nothing
					if !ok {
						assert.Fail(t, "it was answered", "%s by %s, who sees %s: %d %.200s", path, f.Name, feature, status, answer)
					}
				case feature == subject:
					assert.NotEqual(t, http.StatusForbidden, status, "%s by %s, who sees %s: %s", path, f.Name, feature, answer)
				}
			}
		}
	}
	assert.Greater(t, asked, race.Fewer(1500, 250))
	for _, way := range []string{"sort=client.mac", "count=client.mac", "where=client.mac=x", "where=port.up=true", "where=not+client.vlan=3"} {
		status, _ := r.Asks(t, tokens["devices"], http.MethodGet, "/api/v1/devices?"+way, "")
		assert.Contains(t, []int{http.StatusForbidden, http.StatusUnprocessableEntity}, status, way)
	}
	status, answer := r.Asks(t, tokens["devices"], http.MethodGet, "/api/v1/selectors/reading?text=client.vlan+%3E+0+or+not+client.vlan+%3E+0", "")
	require.Equal(t, http.StatusOK, status, answer)
	assert.Contains(t, answer, `"devices":0`, "nor is it counted")
}

func expressionOf(f v1.Field) string {
	switch f.Type {
	case "number":
		return f.Name + " >= 0"
	case "flag":
		return f.Name + " = true"
	case "age":
		return f.Name + " > 1s"
	}
	return f.Name + ` ~ "*"`
}

// A client of elsewhere is not found by asking for the device where it is.
func TestBoundsHoldAcrossNouns(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.PutSite(t.Context(), "kelp-bay", v1.SiteRequest{Title: "Kelp Bay dry dock"}))
	require.NoError(t, r.Describe(t.Context(), "th-sw-02", v1.DeviceDescription{Site: "kelp-bay"}))
	require.NoError(t, r.PutRole(t.Context(), "watcher", v1.RoleRequest{Rules: []v1.Rule{{Sentence: "allow see on devices, sites"}, {Sentence: "allow see on clients where site = kelp-bay"},
		{Sentence: "allow see on ports where port.mode = access"}}}))
	watcher := r.As(t, "wren", "watcher")
	var here, there v1.NetworkClient
	require.Eventually(t, func() bool {
		list, err := r.Clients(t.Context(), client.Query{})
		for _, c := range list.Items {
			if c.Device == "th-sw-02" {
				here = c
			} else if c.Device != "" {
				there = c
			}
		}
		return err == nil && here.MAC != "" && there.MAC != ""
	}, rig.WaitLong, rig.WaitStep)
	for mac, want := range map[string]int{here.MAC: 1, there.MAC: 0} {
		list, err := watcher.Devices(t.Context(), client.Query{Where: "client.mac = " + mac})
		require.NoError(t, err)
		assert.Equal(t, want, list.Total, mac)
	}
	_, err := watcher.Devices(t.Context(), client.Query{Where: "port.mode = trunk"})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "ask for devices by their own properties")
}

// Who is bound to a place is told of no other, by no route: with what lies elsewhere marked, no answer holds a mark.
func TestNoRouteTellsOfAnotherPlace(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.PutSite(t.Context(), "kelp-bay", v1.SiteRequest{Title: "Kelp Bay dry dock"}))
	require.NoError(t, r.Describe(t.Context(), "th-sw-02", v1.DeviceDescription{Site: "kelp-bay"}))
	const mark = "narwhal"
	var marks []string
	devices, err := r.Devices(t.Context(), client.Query{})
	require.NoError(t, err)
	for _, d := range devices.Items {
		if d.Name != "th-sw-02" {
			marks = append(marks, d.Serial)
			require.NoError(t, r.Describe(t.Context(), d.Name, v1.DeviceDescription{Site: "tern-haven", Particulars: v1.Particulars{Notes: mark}}))
		}
	}
	require.NoError(t, r.PutSite(t.Context(), "tern-haven", v1.SiteRequest{Title: mark, Entry: "th-edge-01"}))
	require.NoError(t, r.DescribeVLAN(t.Context(), 3999, v1.VLANRecord{Purpose: mark}))
	foreign, err := r.MakeChange(t.Context(), v1.ChangeRequest{Why: mark, Edits: []v1.Edit{{Port: "th-sw-01:1/1/1", Field: "description", Value: mark}, {Port: "th-sw-01:1/1/2", Field: "acl-in", Value: "none"}}})
	require.NoError(t, err)
	kept, err := r.MakeChange(t.Context(), v1.ChangeRequest{Why: mark, Edits: []v1.Edit{{Port: "th-sw-01:1/1/3", Field: "description", Value: mark}}})
	require.NoError(t, err)
	_, err = r.Check(t.Context(), kept.Number)
	require.NoError(t, err)
	_, err = r.Push(t.Context(), kept.Number, 0, v1.PushRequest{TrialSeconds: 30})
	require.NoError(t, err)
	r.Until(t, kept.Number, "on-trial")
	_, err = r.Keep(t.Context(), kept.Number)
	require.NoError(t, err)
	r.Until(t, kept.Number, "kept")
	_, err = r.Claim(t.Context(), []v1.Claim{{Serial: "NW24-00001", Name: mark, Site: "tern-haven"}})
	require.NoError(t, err)
	marks = append(marks, mark, "th-sw-01:1/1/", "NW24")

	place := strings.NewReplacer("{number}", fmt.Sprint(foreign.Number), "{vlan}", "3999", "{id}", "999", "{serial}", "NW24-00001", "{mac}", "02:00:00:00:00:01", "{preference}", "table.x", "{maker}", "Halyard", "{model}", "H24P", "{file}", "notes.txt", "{place}", "web")
	for _, role := range []string{"administrator", "operator", "technician", "security-officer", "manager", "viewer"} {
		who := r.Confine(t, "bound."+strings.ReplaceAll(role, "-", "."), role, "site = kelp-bay")
		told := 0
		for path, item := range server.API("test").Paths {
			if item.Get == nil || strings.HasSuffix(path, "/events") || strings.HasSuffix(path, "/live") {
				continue
			}
			for _, name := range []string{"th-sw-02", "th-sw-01", "tern-haven"} {
				full := strings.ReplaceAll(place.Replace(path), "{name}", name) + "?from=" + url.QueryEscape(time.Now().Add(-time.Hour).Format(time.RFC3339))
				status, answer := r.Asks(t, who.Token, http.MethodGet, full, "")
				assert.Less(t, status, 500, "%s %s: %s", role, full, answer)
				if status == http.StatusOK {
					told++
				}
				for _, m := range marks {
					if strings.Contains(answer, m) && !neighbours(answer, m) {
						assert.Fail(t, "it tells of another place", "%s %s: %q in %.400s", role, full, m, answer)
					}
				}
				if !strings.Contains(path, "{name}") {
					break
				}
			}
		}
		assert.Greater(t, told, 20, role)
	}
	coral := r.Confine(t, "coral", "technician", "site = kelp-bay")
	for what, body := range map[string]string{
		"/settings/standing": `{"on":["th-sw-01:1/1/1"]}`,
		"/bundles/proposal":  `{"ports":["th-sw-01:1/1/1"]}`,
		"/changes/from-file": `{"text":"everypost: settings/1\ndevices: {th-sw-01: {}}","dry_run":true}`,
		"/changes/copy":      `{"from":"th-sw-01","to":["th-sw-02"]}`,
		"/changes/restore":   `{"on":["th-sw-01"]}`,
		"/vlans/10/carriage": `{"from":"th-sw-02","to":"th-sw-01"}`,
		"/settings/export":   `{"where":"name = th-sw-01"}`,
		"/changes/setup":     `{"devices":["th-sw-01"],"dry_run":true}`,
		fmt.Sprintf("/changes/%d/push", foreign.Number): `{}`,
	} {
		status, answer := r.Asks(t, coral.Token, http.MethodPost, "/api/v1"+what, body, "If-Match", `"1"`)
		assert.Contains(t, []int{http.StatusNotFound, http.StatusForbidden, http.StatusUnprocessableEntity}, status, "%s: %s", what, answer)
		assert.NotContains(t, answer, mark, what)
	}
}

// neighbours tells whether a mark stands only where a device tells of what its own cables lead to.
func neighbours(answer, mark string) bool {
	if !strings.HasPrefix(mark, "th-sw-01:") {
		return false
	}
	var any map[string]json.RawMessage
	return json.Unmarshal([]byte(answer), &any) == nil && strings.Count(answer, mark) == strings.Count(answer, `"change_at":"`+mark)
}

// What devices run is shown to nobody who may only see how they do.
func TestTheManagerSeesNoSettings(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	isla := r.As(t, "isla", "manager")
	d, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	require.NotEmpty(t, d.Objects, "the switch holds something to see")
	d, err = isla.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	for _, o := range d.Objects {
		assert.Equal(t, "bundle", o.Kind, o.Name)
	}
	_, err = isla.Standing(t.Context(), v1.StandingRequest{On: []string{"th-sw-02"}})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "see configuration at th-sw-02")
	_, err = isla.Standing(t.Context(), v1.StandingRequest{On: []string{rig.Printer}})
	require.NoError(t, err, "how ports are set up is part of the ports")
}
