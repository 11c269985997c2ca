package alarms_test

import (
	"context"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/peers"
	"example.net/everypost/internal/testing/rig"
)

// A cut cable is told by one mail to an independent server, and one more when it is mended; a restart in the middle loses nothing.
func TestACutCableIsToldByMail(t *testing.T) {
	t.Parallel()
	address, letters := peers.Mail(t)
	r := rig.Start(t, rig.World(t), rig.Attentive)
	_, err := r.PutMailServer(t.Context(), v1.MailServerRequest{MailServer: v1.MailServer{Address: address, From: "everypost@lantern.example", TLS: "none"}})
	require.NoError(t, err)
	r.As(t, "bram", "operator")
	r.Confine(t, "coral", "technician", "name = th-sw-02")
	require.NoError(t, r.PutUser(t.Context(), "bram", v1.UserRequest{Role: "operator", Mail: "bram@lantern.example"}))
	require.NoError(t, r.PutUser(t.Context(), "coral", v1.UserRequest{Role: "technician", Only: "name = th-sw-02", Mail: "coral@lantern.example"}))
	_, err = r.PutNotice(t.Context(), "duty", v1.NoticeRequest{Mail: []string{"duty@lantern.example"}, People: []string{"bram", "coral"}, Severity: "major"})
	require.NoError(t, err)
	_, err = r.PutNotice(t.Context(), "elsewhere", v1.NoticeRequest{People: []string{"coral"}, Severity: "major"})
	require.NoError(t, err)
	_, err = r.PutNotice(t.Context(), "chief", v1.NoticeRequest{Mail: []string{"chief@lantern.example"}, Severity: "minor", After: 600})
	require.NoError(t, err)
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/25"))
	require.Eventually(t, func() bool { return len(letters()) == 1 }, rig.WaitLong, rig.WaitStep)
	first := letters()[0]
	assert.Equal(t, "Major: th-sw-01:1/1/49 has no link to th-sw-02:1/1/25.", first.Subject)
	assert.Contains(t, first.From, "everypost@lantern.example")
	assert.Contains(t, first.To, "duty@lantern.example")
	assert.Contains(t, first.To, "bram@lantern.example")
	assert.NotContains(t, first.To, "coral@lantern.example", "who may not see the device is not told of it")
	assert.Contains(t, first.Body, "To do: Look at the cable")
	require.Eventually(t, func() bool {
		list, err := r.Deliveries(t.Context(), 10)
		require.NoError(t, err)
		return slices.ContainsFunc(list.Items, func(d v1.Delivery) bool {
			return d.Notice == "elsewhere" && d.State == "dropped" && strings.HasPrefix(d.Said, "none of the users of the notice may see it")
		})
	}, rig.WaitLong, rig.WaitStep)

	r.Halt(t)
	require.NoError(t, r.World.Throw(standin.Mend, "th-sw-02:1/1/25"))
	r.Open(t)
	require.Eventually(t, func() bool { return len(letters()) >= 2 }, rig.WaitLong, rig.WaitStep)
	var subjects []string
	for _, l := range letters() {
		subjects = append(subjects, l.Subject)
	}
	assert.ElementsMatch(t, []string{"Major: th-sw-01:1/1/49 has no link to th-sw-02:1/1/25.", "Over: th-sw-01:1/1/49 has no link to th-sw-02:1/1/25."}, subjects, "what follows from it is not told, nor what nobody had to acknowledge yet")
}

func TestWhoMaySayWhoIsTold(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	operator := r.As(t, "bram", "operator")
	part := r.Confine(t, "esker", "administrator", "site = tern-haven")
	in := v1.NoticeRequest{Mail: []string{"eve@lantern.example"}, Severity: "minor"}
	for _, who := range []interface {
		PutNotice(context.Context, string, v1.NoticeRequest) (v1.NoticeAnswer, error)
	}{operator, part} {
		_, err := who.PutNotice(t.Context(), "mine", in)
		rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
	}
	_, err := part.Notices(t.Context())
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "of the whole network")
	_, err = operator.Deliveries(t.Context(), 10)
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
	_, err = operator.MailServer(t.Context())
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
	_, err = r.PutMailServer(t.Context(), v1.MailServerRequest{MailServer: v1.MailServer{Address: "mail.lantern.example:587", From: "e@lantern.example", TLS: "starttls", User: "post"}, Password: "oil-for-lamps"})
	require.NoError(t, err)
	_, text := r.Asks(t, r.Token, http.MethodGet, "/api/v1/mail-server", "")
	assert.NotContains(t, text, "oil-for-lamps")
	assert.NotContains(t, strings.Join(r.Audited(t, ""), "\n"), "oil-for-lamps")
	_, err = r.PutNotice(t.Context(), "bad", v1.NoticeRequest{Severity: "minor", Mail: []string{"nobody"}})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, `"nobody" is no address of mail`)
	_, err = r.PutNotice(t.Context(), "bad", v1.NoticeRequest{Severity: "minor", People: []string{"nobody"}})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, `there is no user "nobody"`)
	_, err = r.PutNotice(t.Context(), "bad", v1.NoticeRequest{Severity: "minor", People: []string{"bram"}})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, `bram has no address of mail`)
	rig.Problem(t, r.PutUser(t.Context(), "bram", v1.UserRequest{Role: "operator", Mail: "Bram <bram@lantern.example>, eve@lantern.example"}), http.StatusUnprocessableEntity, v1.ProblemInvalid, "an address of mail like")
}

func TestNoticesByCommand(t *testing.T) {
	t.Parallel()
	page := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusNoContent) }))
	t.Cleanup(page.Close)
	r := rig.Start(t, rig.World(t), rig.Attentive)
	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Good("notices").Err, "Nobody is told of alarms")
	made := c.Good("notice", "set", "desk", "--webhook", page.URL, "--severity", "major", "--where", "site = tern-haven", "--after", "15")
	assert.Regexp(t, `^whsec_[A-Za-z0-9+/=]{44}\n$`, made.Out)
	assert.NotContains(t, c.Good("notice", "set", "desk", "--webhook", page.URL).Out, "whsec_", "the secret is told once")
	assert.Contains(t, c.Good("notices").Out, page.URL)
	assert.Contains(t, c.Good("notice", "test", "desk").Err, "It was sent.")
	assert.Regexp(t, `desk +test +sent +1`, c.Good("deliveries").Out)
	assert.Contains(t, c.Good("mail-server").Err, "There is no mail server")
	assert.Contains(t, c.Run("lamp-oil\n", "mail-server", "set", "mail.lantern.example:587", "--from", "e@lantern.example", "--user", "post").Err, "Mail is sent by mail.lantern.example:587.")
	assert.Contains(t, c.Good("mail-server").Out, "starttls")
	bad := c.Run("", "notice", "set", "x", "--mail", "a@b.example", "--hours", "always")
	assert.Equal(t, 3, bad.Code)
	assert.Contains(t, bad.Err, "hours: ")
	c.Good("notice", "remove", "desk")
	assert.Equal(t, 3, c.Run("", "notice", "test", "desk").Code)
}

func TestNoticesByConsole(t *testing.T) {
	t.Parallel()
	page := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusTeapot) }))
	t.Cleanup(page.Close)
	r := rig.Start(t, rig.World(t), rig.Attentive)
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/alarms?view=told"), browser.Shows("Nobody is told of alarms yet"),
		browser.Press("New notice"), browser.TypeInto("Name", "desk"), browser.Choose("How", "webhook"), browser.TypeInto("Address of the page", "ftp://nowhere"),
		browser.Press("Set"), browser.Shows("is no address of a page"),
		browser.TypeInto("Address of the page", ""), browser.On(`document.querySelector("[role=dialog] input[value='ftp://nowhere']")`, `e.select()`), chromedp.KeyEvent(page.URL),
		browser.On(`[...document.querySelectorAll("[role=dialog] button[type=submit]")].find(x => x.innerText === "Set")`, `e.click()`),
		browser.Shows("whsec_"), browser.Press("I have kept it"), browser.Shows("minor and worse"),
		browser.Press("Test"), browser.Shows("it answered 418"),
		browser.TypeInto("Server", "mail.lantern.example:587"), browser.TypeInto("From", "e@lantern.example"), browser.Press("Set the mail server"), browser.Shows("The mail server is set"),
		browser.Press("Remove notice desk"), browser.Press("Remove desk"), browser.Shows("Nobody is told of alarms yet"),
	))
	assert.Empty(t, b.Complaints)
}
