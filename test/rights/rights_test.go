package rights_test

import (
	"context"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/danielgtaylor/huma/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	"example.net/everypost/internal/api/server"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/rig"
)

// routes lists every operation with the right that it needs: "" for what everybody who is signed in may do. Those that
// are there for signing in are left out.
func routes(t testing.TB) map[string]string {
	t.Helper()
	out := map[string]string{}
	for path, item := range server.API("test").Paths {
		path = strings.NewReplacer("{name}", "th-sw-02", "{number}", "1", "{vlan}", "40", "{id}", "999", "{serial}", "HY24-70001", "{mac}", "02:00:00:00:00:01", "{preference}", "table.x", "{maker}", "Halyard", "{model}", "H24P", "{file}", "notes.txt", "{place}", "web").Replace(path)
		require.NotContains(t, path, "{", "give the place a value in this test")
		for method, op := range map[string]*huma.Operation{http.MethodGet: item.Get, http.MethodPost: item.Post, http.MethodPut: item.Put, http.MethodDelete: item.Delete} {
			if op != nil && op.Security != nil {
				right, _ := op.Extensions["x-everypost-right"].(string)
				out[method+" "+path] = right
			}
		}
	}
	return out
}

// What the five people of the company may do, written down once more by hand.
const (
	seesNetwork   = "see sites,see devices,see ports,see clients,see changes,see events,see groups,see alarms,see jobs,see firmware,see guests"
	technicianMay = seesNetwork + ",see configuration,see templates,operate devices,operate clients,operate terminals,change ports,see tests,operate tests,operate ports,operate alarms,operate guests,operate jobs,see backups,operate backups"
)

var mayDo = map[string]string{
	"administrator": seesNetwork + ",see configuration,see discovery,see people,see audit,operate devices,operate clients,operate groups,operate discovery,see tests,operate tests,operate ports,operate alarms," +
		"operate guests,administer guests,administer events,see templates,change templates,change ports,change devices,administer sites,administer people,operate changes,administer changes,see terminals,operate terminals,administer alarms,operate jobs,see backups,operate backups,administer backups,operate firmware,administer firmware",
	"operator":         seesNetwork + ",see configuration,see templates,see discovery,operate devices,operate clients,operate groups,operate discovery,operate terminals,operate changes,operate guests,see tests,operate tests,operate ports,operate alarms,operate jobs,see backups,operate backups,operate firmware",
	"technician":       technicianMay,
	"security-officer": seesNetwork + ",see configuration,see templates,see discovery,see people,see audit,see terminals,see tests,operate changes,see backups",
	"manager":          seesNetwork,
	"viewer":           seesNetwork + ",see configuration,see templates,see tests,see backups",
	"nobody":           "",
}

func TestEveryRouteAsksEveryRoleForItsRight(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	tokens := map[string]string{"nobody": "ept_guess", "administrator": r.Token}
	for role := range mayDo {
		if tokens[role] == "" {
			tokens[role] = r.As(t, strings.ReplaceAll(role, "-", "."), role).Token
		}
	}
	all := routes(t)
	require.Greater(t, len(all), 45)
	for route, right := range all {
		method, path, _ := strings.Cut(route, " ")
		for role, rights := range mayDo {
			if route == "DELETE /api/v1/session" && role != "nobody" {
				continue // it would end what the others of this test go on with
			}
			status := r.Call(t, tokens[role], method, path, "{")
			switch {
			case role == "nobody":
				assert.Equal(t, http.StatusUnauthorized, status, "%s %s", role, route)
			case right == "" || slices.Contains(strings.Split(rights, ","), right):
				assert.NotContains(t, []int{http.StatusUnauthorized, http.StatusForbidden}, status, "%s %s", role, route)
			default:
				assert.Equal(t, http.StatusForbidden, status, "%s %s", role, route)
			}
			if right != "" && role != "nobody" && !strings.HasSuffix(path, "/events") && !strings.HasSuffix(path, "/live") { // tried, the role shows and does nothing
				status = r.Call(t, r.Token, method, path, "{", v1.TryRoleHeader, role)
				allowed := method == http.MethodGet && slices.Contains(strings.Split(rights, ","), right)
				assert.Equal(t, allowed, status != http.StatusForbidden, "trying %s %s: %d", role, route, status)
			}
		}
	}
}

func TestWhoHasRightsIsTold(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	for role, rights := range mayDo {
		if role == "nobody" {
			continue
		}
		who := r.As(t, strings.ReplaceAll(role, "-", "."), role)
		p, err := who.WhoAmI(t.Context())
		require.NoError(t, err)
		var told []string
		for _, right := range p.Rights {
			assert.Empty(t, right.Where)
			told = append(told, right.Verb+" "+right.Feature)
		}
		assert.ElementsMatch(t, strings.Split(rights, ","), told, role)
	}
}

// A technician of one place: what lies elsewhere is not there for him, in any list, count, completion or event, and cannot
// be changed; what lies in his place can.
func TestConfinedPersonSeesAndChangesHisPlaceOnly(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.PutSite(t.Context(), "kelp-bay", v1.SiteRequest{Title: "Kelp Bay dry dock"}))
	require.NoError(t, r.Describe(t.Context(), "th-sw-02", v1.DeviceDescription{Site: "kelp-bay"}))
	coral := r.Confine(t, "coral", "technician", "site = kelp-bay")

	devices, err := coral.Devices(t.Context(), client.Query{})
	require.NoError(t, err)
	require.Len(t, devices.Items, 1)
	assert.Equal(t, "th-sw-02", devices.Items[0].Name)
	assert.Equal(t, []string{"see configuration", "operate devices", "operate terminals", "see tests", "operate tests", "operate ports", "see alarms"}, devices.Items[0].Rights)
	assert.Equal(t, 1, devices.All, "nor is it counted")
	ports, err := coral.Ports(t.Context(), client.Query{})
	require.NoError(t, err)
	assert.NotEmpty(t, ports.Items)
	for _, p := range ports.Items {
		assert.Equal(t, "th-sw-02", p.Device)
		assert.True(t, p.MayChange)
	}
	sites, err := coral.Sites(t.Context(), client.Query{})
	require.NoError(t, err)
	require.Len(t, sites.Items, 1)
	none, err := coral.Devices(t.Context(), client.Query{Where: "site = tern-haven or name = th-sw-01"})
	require.NoError(t, err)
	assert.Empty(t, none.Items)
	c, err := coral.Complete(t.Context(), "site = tern", 11)
	require.NoError(t, err)
	assert.Empty(t, c.Candidates)

	_, err = coral.Device(t.Context(), "th-sw-01")
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "th-sw-01")
	d, err := coral.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	assert.NotEmpty(t, d.PortList)
	rig.Problem(t, coral.Retire(t.Context(), "th-sw-01"), http.StatusNotFound, v1.ProblemNotFound, "")
	rig.Problem(t, coral.Describe(t.Context(), "th-sw-02", v1.DeviceDescription{Site: "tern-haven"}), http.StatusForbidden, v1.ProblemForbidden, "at tern-haven")
	require.NoError(t, coral.Describe(t.Context(), "th-sw-02", v1.DeviceDescription{Site: "kelp-bay", Particulars: v1.Particulars{Notes: "by the crane"}}))
	rig.Problem(t, coral.PutSite(t.Context(), "kelp-bay", v1.SiteRequest{Title: "x"}), http.StatusForbidden, v1.ProblemForbidden, "")
	_, err = coral.Enrol(t.Context(), v1.Enrolment{Address: "127.0.0.1:1", User: "x", Password: "x", HostKey: "SHA256:x", Site: "tern-haven"})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "at tern-haven")
	_, err = coral.Discover(t.Context(), v1.DiscoveryRequest{Targets: []string{"127.0.0.1"}, User: "x"})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "operate discovery")

	edit := func(port string) []v1.Edit { return []v1.Edit{{Port: port, Field: "vlan", Value: "40"}} }
	_, err = coral.MakeChange(t.Context(), v1.ChangeRequest{Edits: append(edit(rig.Printer), edit("th-sw-01:1/1/1")...)})
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "th-sw-01") // it is not there for her
	foreign, err := r.MakeChange(t.Context(), v1.ChangeRequest{Edits: edit("th-sw-01:1/1/1")})
	require.NoError(t, err)
	mixed, err := r.MakeChange(t.Context(), v1.ChangeRequest{Edits: append(edit(rig.Printer), edit("th-sw-01:1/1/1")...)})
	require.NoError(t, err)
	own, err := coral.MakeChange(t.Context(), v1.ChangeRequest{Edits: edit(rig.Printer)})
	require.NoError(t, err)
	list, err := coral.Changes(t.Context(), "")
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	assert.Equal(t, own.Number, list.Items[0].Number)
	for _, c := range []v1.Change{foreign, mixed} {
		_, err = coral.Change(t.Context(), c.Number)
		rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
		rig.Problem(t, coral.Discard(t.Context(), c.Number), http.StatusNotFound, v1.ProblemNotFound, "")
	}
	_, err = coral.Check(t.Context(), own.Number)
	require.NoError(t, err)

	log, err := coral.Log(t.Context(), "", 500)
	require.NoError(t, err)
	for _, e := range log.Items {
		assert.Equal(t, "th-sw-02", e.Device, e.Text)
	}
	assert.NotEmpty(t, log.Items)
}

func TestConfinedPersonHearsOfHisPlaceOnly(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	coral := r.Confine(t, "coral", "technician", "name = th-sw-02")
	ctx, cancel := context.WithTimeout(t.Context(), rig.WaitLong)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, r.Base+"/api/v1/events", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+coral.Token)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer func() { _ = resp.Body.Close() }()
	require.NoError(t, r.World.Throw("cut", "th-sw-01:1/1/47"))
	require.NoError(t, r.World.Throw("cut", rig.Printer))
	var heard strings.Builder
	b := make([]byte, 4096)
	for !strings.Contains(heard.String(), rig.Printer) {
		n, err := resp.Body.Read(b)
		require.NoError(t, err, heard.String())
		heard.Write(b[:n])
	}
	assert.NotContains(t, heard.String(), "th-sw-01")
}

// Who may see what happens, and no changes, hears nothing of them: neither in the log nor in the stream.
func TestWhoSeesNoChangesHearsOfNone(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.PutRole(t.Context(), "listener", v1.RoleRequest{Rules: []v1.Rule{{Sentence: "allow see on events, devices"}}}))
	for name, who := range map[string]struct {
		*client.Client
		sees bool
	}{"a listener": {r.As(t, "wren", "listener"), false}, "a viewer": {r.As(t, "vera", "viewer"), true}} {
		hears, begun := make(chan []string, 1), make(chan struct{})
		go func() {
			var kinds []string
			_ = who.Events(t.Context(), 0, func(e v1.Event) bool {
				if e.Kind == "reset" {
					close(begun)
				}
				if e.Change != 0 {
					kinds = append(kinds, e.Kind)
				}
				return e.Code != "port.link-lost"
			})
			hears <- kinds
		}()
		<-begun
		require.NoError(t, r.Discard(t.Context(), r.Draft(t, [3]string{rig.Printer, "vlan", "40"}).Number))
		r.Service.Feed.Settle()
		require.NoError(t, r.World.Throw("cut", rig.Printer))
		assert.Equal(t, who.sees, slices.Contains(<-hears, "change"), name)
		require.NoError(t, r.World.Throw("mend", rig.Printer))
		log, err := who.Log(t.Context(), "event.kind = change", 10)
		require.NoError(t, err)
		assert.Equal(t, who.sees, len(log.Items) > 0, name)
	}
}

func TestRolesAndPeopleOverTheInterface(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	err := r.PutRole(t.Context(), "pier-hand", v1.RoleRequest{Rules: []v1.Rule{{Sentence: "allow see on gadgets"}}})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "there is no feature `gadgets`")
	require.NoError(t, r.PutRole(t.Context(), "pier-hand", v1.RoleRequest{Title: "connects things", Rules: []v1.Rule{
		{Sentence: "allow see on devices, ports"}, {Effect: "allow", Verbs: []string{"change"}, Features: []string{"ports"}, Where: "port.mode = access"}}}))
	hand := r.As(t, "wren", "pier-hand")
	_, err = hand.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{{Port: rig.Printer, Field: "vlan", Value: "40"}}})
	require.NoError(t, err)
	_, err = hand.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{{Port: "th-sw-02:1/1/25", Field: "description", Value: "x"}}})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "th-sw-02:1/1/25")
	rig.Problem(t, r.RemoveRole(t.Context(), "pier-hand"), http.StatusConflict, v1.ProblemInUse, "give them another first")

	roles, err := r.Roles(t.Context())
	require.NoError(t, err)
	mine := roles.Items[len(roles.Items)-1]
	assert.Equal(t, []string{"wren"}, mine.People)
	assert.Equal(t, "allow change on ports where port.mode = access", mine.Rules[1].Sentence)
	assert.Contains(t, mine.Grants, v1.Right{Verb: "change", Feature: "ports", Where: "port.mode = access"})

	rig.Problem(t, r.PutUser(t.Context(), "ada", v1.UserRequest{Role: "viewer"}), http.StatusConflict, v1.ProblemInUse, "nobody would be left")
	require.NoError(t, r.ResetPassword(t.Context(), "wren", "gulls at the ferry rail"))
	require.NoError(t, r.RemoveUser(t.Context(), "wren"))
	_, err = hand.WhoAmI(t.Context())
	rig.Problem(t, err, http.StatusUnauthorized, v1.ProblemSignIn, "")

	token, err := r.MakeToken(t.Context(), v1.TokenRequest{Label: "a script"})
	require.NoError(t, err)
	list, err := r.Tokens(t.Context(), "ada")
	require.NoError(t, err)
	assert.Len(t, list.Items, 2)
	require.NoError(t, r.DropToken(t.Context(), "ada", token.ID))
	rig.Problem(t, r.DropToken(t.Context(), "", token.ID), http.StatusNotFound, v1.ProblemNotFound, "")

	isla := r.As(t, "isla", "manager")
	isla.TryRole = "administrator"
	_, err = isla.Users(t.Context())
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "only who may administer people")
	entries, err := r.Audit(t.Context(), "put-role", 10)
	require.NoError(t, err)
	assert.NotEmpty(t, entries.Items)
}
