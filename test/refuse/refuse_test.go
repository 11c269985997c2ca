package refuse_test

import (
	"io"
	"net"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/store"
	"example.net/everypost/internal/testing/rig"
	"example.net/everypost/internal/wire/xmlnode"
)

func TestEditsThatCannotBe(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	for name, tc := range map[string]struct {
		edit v1.Edit
		says string
	}{
		"unknown device":            {v1.Edit{Port: "th-sw-09:1/1/1", Field: "vlan", Value: "40"}, "there is no device th-sw-09"},
		"unknown port":              {v1.Edit{Port: "th-sw-02:1/1/99", Field: "vlan", Value: "40"}, "the device has no port 1/1/99"},
		"VLAN 4095":                 {v1.Edit{Port: rig.Printer, Field: "vlan", Value: "4095"}, "give a number from 1 to 4094"},
		"VLAN 0":                    {v1.Edit{Port: rig.Printer, Field: "vlan", Value: "0"}, "give a number from 1 to 4094"},
		"VLAN that is a word":       {v1.Edit{Port: rig.Printer, Field: "vlan", Value: "tickets"}, "is not a VLAN"},
		"unknown field":             {v1.Edit{Port: rig.Printer, Field: "colour", Value: "red"}, "the list of settings tells"},
		"PoE where there is none":   {v1.Edit{Port: "th-sw-02:1/1/25", Field: "poe", Value: "off"}, "cannot feed power"},
		"access VLAN on a trunk":    {v1.Edit{Port: "th-sw-02:1/1/25", Field: "vlan", Value: "40"}, "is not an access port"},
		"VLAN on a routed port":     {v1.Edit{Port: "th-edge-01:wan1", Field: "mode", Value: "access"}, "is not a switched port"},
		"port without a device":     {v1.Edit{Port: "1/1/7", Field: "vlan", Value: "40"}, "write device:port"},
		"description of 65 letters": {v1.Edit{Port: rig.Printer, Field: "description", Value: strings.Repeat("x", 65)}, "at most 64"},
		"description with a bell":   {v1.Edit{Port: rig.Printer, Field: "description", Value: "a\ab"}, "control characters"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := r.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{tc.edit}})
			rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, tc.says)
		})
	}
	list, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, list.Items, "nothing was kept of what was refused")
}

func TestABadEditLeavesTheDraftAsItWas(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	_, err := r.AddEdits(t.Context(), c.Number, []v1.Edit{{Port: rig.Printer, Field: "vlan", Value: "30"}, {Port: "th-sw-02:1/1/99", Field: "poe", Value: "on"}})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "no port 1/1/99")
	again, err := r.Change(t.Context(), c.Number)
	require.NoError(t, err)
	assert.Equal(t, c, again)
}

func TestBodiesThatCannotBeRead(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	for name, tc := range map[string]struct {
		body   string
		status int
	}{
		"not JSON":         {`{"edits": [`, http.StatusBadRequest},
		"wrong type":       {`{"edits": 7}`, http.StatusUnprocessableEntity},
		"missing field":    {`{"edits": [{"port": "th-sw-02:1/1/7"}]}`, http.StatusUnprocessableEntity},
		"unknown field":    {`{"edits": [], "force": true}`, http.StatusUnprocessableEntity},
		"over the limit":   {`{"why": "` + strings.Repeat("x", 5<<20) + `", "edits": []}`, http.StatusRequestEntityTooLarge},
		"endless why":      {`{"why": "` + strings.Repeat("x", 501) + `", "edits": []}`, http.StatusUnprocessableEntity},
		"nothing":          {``, http.StatusBadRequest},
		"array for object": {`[]`, http.StatusUnprocessableEntity},
	} {
		t.Run(name, func(t *testing.T) {
			req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, r.Base+"/api/v1/changes", strings.NewReader(tc.body))
			require.NoError(t, err)
			req.Header.Set("Authorization", "Bearer "+r.Token)
			req.Header.Set("Content-Type", "application/json")
			resp, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			defer func() { _ = resp.Body.Close() }()
			assert.Equal(t, tc.status, resp.StatusCode)
			assert.Contains(t, resp.Header.Get("Content-Type"), "application/problem+json")
		})
	}
}

func TestPushOnlyWhatIsCheckedAndSeen(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})

	_, err := r.Push(t.Context(), c.Number, c.Revision-1, v1.PushRequest{})
	rig.Problem(t, err, http.StatusPreconditionFailed, v1.ProblemStale, "no longer as you saw it")

	_, err = r.AddEdits(t.Context(), c.Number, []v1.Edit{{Port: rig.Printer, Field: "poe", Value: "off"}})
	require.NoError(t, err)
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{})
	rig.Problem(t, err, http.StatusConflict, v1.ProblemState, "is draft, and would have to be checked")

	c, err = r.Check(t.Context(), c.Number)
	require.NoError(t, err)
	_, err = r.Push(t.Context(), c.Number, c.Revision, v1.PushRequest{TrialSeconds: 30})
	require.NoError(t, err)
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 30})
	rig.Problem(t, err, http.StatusConflict, v1.ProblemState, "would have to be checked")
	r.Until(t, c.Number, "on-trial")

	rig.Problem(t, r.Discard(t.Context(), c.Number), http.StatusConflict, v1.ProblemState, "only a draft can be thrown away")
	other := r.Draft(t, [3]string{"th-sw-02:1/1/8", "vlan", "40"})
	_, err = r.Push(t.Context(), other.Number, 0, v1.PushRequest{TrialSeconds: 30})
	rig.Problem(t, err, http.StatusConflict, v1.ProblemBusy, "is on-trial on th-sw-02")

	_, err = r.Undo(t.Context(), c.Number)
	require.NoError(t, err)
	_, err = r.Keep(t.Context(), c.Number)
	rig.Problem(t, err, http.StatusConflict, v1.ProblemState, "would have to be on-trial")
	r.Until(t, c.Number, "undone")
}

func TestVLANThatTheDeviceDoesNotHaveStopsThePush(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "77"})
	require.Len(t, c.Findings, 1)
	assert.Equal(t, "stop", c.Findings[0].Level)
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{Accept: []string{c.Findings[0].ID}})
	rig.Problem(t, err, http.StatusConflict, v1.ProblemBlocked, "VLAN 77 does not exist on th-sw-02")
}

func TestCheckOfWhatMakesNoDifference(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c, err := r.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{{Port: rig.Printer, Field: "vlan", Value: "20"}}})
	require.NoError(t, err)
	_, err = r.Check(t.Context(), c.Number)
	rig.Problem(t, err, http.StatusConflict, v1.ProblemState, "makes no difference")
}

// The second of two changes of a port is checked again on what the first left: where it comes to the same, it is pushed.
func TestSecondChangeOfAPortIsCheckedOnWhatTheFirstLeft(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	first, second, third := r.Draft(t, [3]string{rig.Printer, "vlan", "40"}), r.Draft(t, [3]string{rig.Printer, "poe", "off"}), r.Draft(t, [3]string{rig.Printer, "vlan", "30"})
	seen, err := r.Change(t.Context(), first.Number)
	require.NoError(t, err)
	assert.Equal(t, []v1.Overlap{{Change: third.Number, Owner: "ada", State: "checked", Port: rig.Printer, Field: "vlan", Value: "30"}}, seen.Overlaps, "they say so at once")
	push := func(number int64) {
		_, err := r.Push(t.Context(), number, 0, v1.PushRequest{TrialSeconds: 30})
		require.NoError(t, err)
		r.Until(t, number, "on-trial")
		_, err = r.Keep(t.Context(), number)
		require.NoError(t, err)
		r.Until(t, number, "kept")
	}
	push(first.Number)
	push(second.Number)
	vlan, poe := r.Runs(rig.Printer)
	assert.Equal(t, []string{"40", "false"}, []string{vlan, poe})
	_, err = r.Push(t.Context(), third.Number, 0, v1.PushRequest{TrialSeconds: 30})
	rig.Problem(t, err, http.StatusConflict, v1.ProblemState, "checked anew: look at it again")
	again, err := r.Change(t.Context(), third.Number)
	require.NoError(t, err)
	assert.Equal(t, []v1.Difference{{Port: rig.Printer, Field: "vlan", Before: "40", After: "30"}}, again.Differences)
	push(third.Number)
}

func TestAPushIsStopped(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	before := r.World.Running("th-sw-02")
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"}, [3]string{"th-sw-01:1/1/7", "vlan", "40"})
	require.NoError(t, r.World.Throw(standin.Slow, "th-sw-02"))
	_, err := r.Cancel(t.Context(), c.Number)
	rig.Problem(t, err, http.StatusConflict, v1.ProblemState, "only while it is being pushed")
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60})
	require.NoError(t, err)
	_, err = r.Cancel(t.Context(), c.Number)
	require.NoError(t, err)
	c = r.Until(t, c.Number, "undone")
	assert.Contains(t, c.Outcome, "ada stopped the push")
	assert.Equal(t, "ada", c.EndedBy)
	assert.True(t, xmlnode.Equal(before, r.World.Running("th-sw-02")))
	assert.False(t, r.World.TrialOpen("th-sw-02"))
	assert.False(t, r.World.TrialOpen("th-sw-01"))
}

func TestSessionLostInMidPush(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	before := r.World.Running("th-sw-02")
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"}, [3]string{"th-sw-01:1/1/7", "vlan", "40"})
	require.NoError(t, r.World.Throw(standin.Slow, "th-sw-02"))
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 10})
	require.NoError(t, err)
	require.NoError(t, r.World.Throw(standin.Hang, "th-sw-02"))
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), "th-sw-02")
		return err == nil && d.Reach == "gone"
	}, rig.WaitLong, rig.WaitStep)
	require.NoError(t, r.World.Throw(standin.Recover, "th-sw-02"))
	c = r.Until(t, c.Number, "failed", "undone")
	assert.Contains(t, c.Outcome, "th-sw-02")
	assert.True(t, xmlnode.Equal(before, r.World.Running("th-sw-02")))
	vlan, _ := r.Runs("th-sw-01:1/1/7")
	assert.Equal(t, "20", vlan)
}

func TestEnrolmentThatCannotBe(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	silent, err := net.Listen("tcp", "127.0.0.1:0") // takes connections and says nothing
	require.NoError(t, err)
	defer func() { _ = silent.Close() }()
	closed, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	require.NoError(t, closed.Close())

	for name, tc := range map[string]struct {
		address string
		status  int
		kind    string
		says    string
	}{
		"nobody listens": {closed.Addr().String(), http.StatusBadGateway, v1.ProblemGone, "connection refused"},
		"no answer":      {silent.Addr().String(), http.StatusBadGateway, v1.ProblemGone, "does not answer"},
		"no address":     {"not an address", http.StatusUnprocessableEntity, v1.ProblemInvalid, "write a name or an address"},
		"no port":        {"127.0.0.1:ssssh", http.StatusUnprocessableEntity, v1.ProblemInvalid, "port"},
	} {
		t.Run("probe: "+name, func(t *testing.T) {
			_, err := r.Probe(t.Context(), tc.address)
			rig.Problem(t, err, tc.status, tc.kind, tc.says)
		})
	}
	probe, err := r.Probe(t.Context(), r.World.Address("th-sw-02"))
	require.NoError(t, err)
	good := v1.Enrolment{Address: probe.Address, User: rig.DeviceUser, Password: rig.DevicePassword, HostKey: probe.HostKey, Site: "tern-haven"}
	for name, tc := range map[string]struct {
		spoil  func(*v1.Enrolment)
		status int
		kind   string
		says   string
	}{
		"known already":  {func(*v1.Enrolment) {}, http.StatusConflict, v1.ProblemExists, "is known already"},
		"wrong host key": {func(a *v1.Enrolment) { a.HostKey = "SHA256:nonsense" }, http.StatusConflict, v1.ProblemHostKey, "shows host key"},
		"wrong password": {func(a *v1.Enrolment) { a.Password = "guess" }, http.StatusUnprocessableEntity, v1.ProblemLogin, "does not accept"},
		"unknown site":   {func(a *v1.Enrolment) { a.Site = "atlantis" }, http.StatusUnprocessableEntity, v1.ProblemInvalid, "there is no site"},
		"impossible name": {func(a *v1.Enrolment) { a.Name = "Switch 2!" }, http.StatusUnprocessableEntity, v1.ProblemInvalid,
			"is not a valid name"},
	} {
		t.Run("enrol: "+name, func(t *testing.T) {
			a := good
			tc.spoil(&a)
			_, err := r.Enrol(t.Context(), a)
			rig.Problem(t, err, tc.status, tc.kind, tc.says)
			assert.NotContains(t, err.Error(), rig.DevicePassword)
		})
	}
	list, err := r.Devices(t.Context(), client.Query{})
	require.NoError(t, err)
	assert.Len(t, list.Items, 5)
}

func TestChangedHostKeyStopsTheSession(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.World.Throw(standin.NewHostKey, "th-sw-02"))
	require.EventuallyWithT(t, func(c *assert.CollectT) {
		d, err := r.Device(t.Context(), "th-sw-02")
		if assert.NoError(c, err) {
			assert.Equal(c, "refused", d.Reach)
			assert.Contains(c, d.Why, "shows host key")
			for _, p := range d.PortList[:3] {
				assert.Equal(c, "unknown", p.Oper, "the last known is not shown as what is")
				assert.True(c, p.Stale)
			}
		}
	}, rig.WaitLong, rig.WaitStep)
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{})
	rig.Problem(t, err, http.StatusConflict, v1.ProblemBlocked, "th-sw-02 is not connected")

	rig.Problem(t, r.Pin(t.Context(), "th-sw-02", "SHA256:of-somebody-else"), http.StatusConflict, v1.ProblemHostKey, "not SHA256:of-somebody-else that was accepted")
	rig.Problem(t, r.Pin(t.Context(), "th-sw-09", "SHA256:x"), http.StatusNotFound, v1.ProblemNotFound, "th-sw-09")
	probe, err := r.Probe(t.Context(), r.World.Address("th-sw-02"))
	require.NoError(t, err)
	require.NoError(t, r.Pin(t.Context(), "th-sw-02", probe.HostKey))
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), "th-sw-02")
		return err == nil && d.Reach == "connected" && d.HostKey == probe.HostKey
	}, rig.WaitLong, rig.WaitStep)
	r.Restart(t)
	r.AwaitAll(t)
}

func TestBrowserSession(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	do := func(method, path, body string, cookie *http.Cookie, csrf string) *http.Response {
		req, err := http.NewRequestWithContext(t.Context(), method, r.Base+path, strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		if cookie != nil {
			req.AddCookie(cookie)
		}
		if csrf != "" {
			req.Header.Set(v1.CSRFHeader, csrf)
		}
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		t.Cleanup(func() { _ = resp.Body.Close() })
		return resp
	}
	assert.Equal(t, http.StatusUnauthorized, do("POST", "/api/v1/session", `{"name":"ada","password":"wrong wrong wrong"}`, nil, "").StatusCode)
	assert.Equal(t, http.StatusUnauthorized, do("POST", "/api/v1/session", `{"name":"nobody","password":"wrong wrong wrong"}`, nil, "").StatusCode)
	resp := do("POST", "/api/v1/session", `{"name":"ada","password":"`+rig.Password+`"}`, nil, "")
	require.Equal(t, http.StatusOK, resp.StatusCode)
	cookie := resp.Cookies()[0]
	assert.True(t, cookie.HttpOnly)
	assert.Equal(t, http.SameSiteStrictMode, cookie.SameSite)
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	assert.NotContains(t, string(body), cookie.Value)
	csrf := strings.Split(strings.Split(string(body), `"csrf":"`)[1], `"`)[0]

	assert.Equal(t, http.StatusOK, do("GET", "/api/v1/sites", "", cookie, "").StatusCode)
	assert.Equal(t, http.StatusForbidden, do("POST", "/api/v1/changes", `{"edits":[]}`, cookie, "").StatusCode, "without the header nothing is changed")
	assert.Equal(t, http.StatusForbidden, do("POST", "/api/v1/changes", `{"edits":[]}`, cookie, "guess").StatusCode)
	assert.Equal(t, http.StatusOK, do("POST", "/api/v1/changes", `{"edits":[]}`, cookie, csrf).StatusCode)
	assert.Less(t, do("DELETE", "/api/v1/session", "", cookie, csrf).StatusCode, 300)
	assert.Equal(t, http.StatusUnauthorized, do("GET", "/api/v1/sites", "", cookie, "").StatusCode)
}

func TestGuessingIsSlowedDown(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	var last error
	for range 12 {
		_, last = r.SignInToken(t.Context(), v1.TokenSignIn{SignIn: v1.SignIn{Name: "ada", Password: "guess guess guess"}, TokenRequest: v1.TokenRequest{Label: "x"}})
	}
	rig.Problem(t, last, http.StatusTooManyRequests, v1.ProblemSignIn, "too many attempts")
}

func TestSecretsDoNotComeOut(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	for _, path := range []string{"/devices", "/devices/th-sw-02", "/audit", "/tokens", "/event-log", "/session"} {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, r.Base+"/api/v1"+path, nil)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+r.Token)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		b, err := io.ReadAll(resp.Body)
		_ = resp.Body.Close()
		require.NoError(t, err)
		for _, secret := range []string{rig.DevicePassword, rig.Password, r.Token} {
			assert.NotContains(t, string(b), secret, path)
		}
	}
}

func TestReadOnlyTokenMayOnlySee(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	token, err := r.SignInToken(t.Context(), v1.TokenSignIn{SignIn: v1.SignIn{Name: "ada", Password: rig.Password}, TokenRequest: v1.TokenRequest{Label: "x", ReadOnly: true}})
	require.NoError(t, err)
	c := &client.Client{Base: r.Base, Token: token.Secret}
	_, err = c.Devices(t.Context(), client.Query{})
	require.NoError(t, err)
	_, err = c.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{{Port: rig.Printer, Field: "vlan", Value: "40"}}})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "has not the right to change")
}

func TestAuditTellsWhoDidWhat(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	entries, err := r.Service.Store.AuditEntries(t.Context(), store.AuditQuery{Limit: 3})
	require.NoError(t, err)
	assert.Equal(t, "check", entries[0].Action)
	assert.Equal(t, "draft", entries[1].Action)
	assert.Equal(t, "ada", entries[1].User)
	assert.Equal(t, rig.Printer+" vlan 20 to 40", entries[1].Detail)
	assert.NotZero(t, c.Number)
}
