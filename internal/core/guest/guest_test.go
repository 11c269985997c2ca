package guest

import (
	"crypto/rand"
	"encoding/json"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var noon = time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)

func TestPortalsAreBroughtIntoTheirForm(t *testing.T) {
	p := Portal{Name: "landing", Look: Look{Terms: "  Be kind.\r\nLeave early. ", Accent: "#0B5D7A"}}
	require.NoError(t, p.Check())
	assert.Equal(t, Portal{Name: "landing", Way: Agree, Minutes: 240, Look: Look{Terms: "Be kind.\nLeave early.", Accent: "#0b5d7a"}}, p)
	shown := p.Shown()
	assert.Equal(t, [3]string{"Welcome", "Agree and go on", "#0b5d7a"}, [3]string{shown.Heading, shown.Button, shown.Accent})
	assert.NotEmpty(t, shown.Ground)
	for says, bad := range map[string]Portal{
		"name: ":                         {Name: "a b", Look: Look{Terms: "x"}},
		`way: "bribe" is none`:           {Name: "p", Way: "bribe"},
		"minutes: a guest is let in for": {Name: "p", Way: Host, Minutes: MostMinutes + 1},
		"rate: it is 64 to":              {Name: "p", Way: Host, Kbps: 3},
		"terms: say to what":             {Name: "p"},
		"terms: it has at most 20000":    {Name: "p", Look: Look{Terms: strings.Repeat("ä", 20_001)}},
		"title: it cannot hold control":  {Name: "p", Title: "a\x07b", Look: Look{Terms: "x"}},
		"heading: it cannot hold":        {Name: "p", Look: Look{Terms: "x", Heading: "two\nlines"}},
		"text: it is no text in UTF-8":   {Name: "p", Look: Look{Terms: "x", Text: "\xff"}},
		"accent: write a colour":         {Name: "p", Look: Look{Terms: "x", Accent: "red;} body{"}},
	} {
		err := bad.Check()
		require.ErrorIs(t, err, ErrInvalid, says)
		assert.ErrorContains(t, err, says)
	}
}

func TestGuestsAreToldWhatIsMissing(t *testing.T) {
	terms := Look{Terms: "Be kind."}
	for want, c := range map[string]struct {
		p Portal
		f Form
	}{
		"Please agree to the terms.":   {Portal{Way: Agree, Look: terms}, Form{}},
		"Please write your name.":      {Portal{Way: Agree, Named: true, Look: terms}, Form{Name: "  ", Agreed: true}},
		"Please write whom you visit.": {Portal{Way: Host}, Form{Name: "Alma Teal"}},
		"Please write the code of your voucher: it has eight letters and digits.": {Portal{Way: Voucher}, Form{Code: "ABCD-EFG"}},
		"Please write your name in at most 80 letters.":                           {Portal{Way: Host}, Form{Name: strings.Repeat("a", 81)}},
	} {
		assert.EqualError(t, c.f.Check(c.p), want)
	}
	f := Form{Name: " Alma ", Host: "the desk", Agreed: true}
	require.NoError(t, f.Check(Portal{Way: Agree, Look: terms}))
	assert.Equal(t, Form{Agreed: true}, f, "what was not asked for is not kept")
}

func TestHowAGuestStands(t *testing.T) {
	asked := Stay{AskedAt: noon}
	assert.Equal(t, Waiting, asked.StateAt(noon.Add(waits-1)))
	assert.Equal(t, Over, asked.StateAt(noon.Add(waits)))
	away := asked
	away.Ended = noon.Add(time.Minute)
	assert.Equal(t, Refused, away.StateAt(noon.Add(time.Hour)))
	in := Stay{AskedAt: noon, Begun: noon, Ends: noon.Add(time.Hour)}
	assert.Equal(t, In, in.StateAt(noon.Add(time.Hour-1)))
	assert.Equal(t, time.Minute, in.Left(noon.Add(59*time.Minute)))
	assert.Equal(t, Over, in.StateAt(noon.Add(time.Hour)))
	in.Ended = noon.Add(time.Minute)
	assert.Equal(t, Over, in.StateAt(noon.Add(2*time.Minute)))
	assert.Zero(t, in.Left(noon.Add(2*time.Minute)))
}

// RFC 8908 section 5: captive is always said; how long is left only of who is let through.
func TestWhatAStationIsTold(t *testing.T) {
	b, err := json.Marshal(Told(Stay{}, "https://guests.lantern.example/landing", noon))
	require.NoError(t, err)
	assert.JSONEq(t, `{"captive": true, "user-portal-url": "https://guests.lantern.example/landing"}`, string(b))
	b, err = json.Marshal(Told(Stay{Begun: noon, Ends: noon.Add(90 * time.Second)}, "https://guests.lantern.example/landing", noon))
	require.NoError(t, err)
	assert.JSONEq(t, `{"captive": false, "user-portal-url": "https://guests.lantern.example/landing", "can-extend-session": true, "seconds-remaining": 90}`, string(b))
}

// A pass is read as it was signed, and not when a letter of it is another, by another key, or too late.
func TestPasses(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := Pass{
			Station: rapid.StringMatching(`[0-9a-f]{2}(:[0-9a-f]{2}){5}`).Draw(t, "station"), Network: rapid.StringMatching(`[a-z<>& ]{1,20}`).Draw(t, "network"),
			At: rapid.StringMatching(`[a-z0-9-]{1,20}`).Draw(t, "at"), Until: noon.Add(time.Duration(rapid.IntRange(1, 3600).Draw(t, "left")) * time.Second),
		}
		q := p.Sign("key")
		got, err := ReadPass(q, "key", noon)
		if err != nil || got != p {
			t.Fatalf("%+v is read as %+v: %v", p, got, err)
		}
		field := rapid.SampledFrom(PassFields).Draw(t, "field")
		changed := url.Values{}
		for k, v := range q {
			changed[k] = v
		}
		v := q.Get(field)
		i := rapid.IntRange(0, len(v)-1).Draw(t, "where")
		other := byte('1')
		if v[i] == other {
			other = '2'
		}
		changed.Set(field, v[:i]+string(other)+v[i+1:])
		if last := field == "sign" && i == len(v)-1; !last { // some of whose bits are not read
			if got, err := ReadPass(changed, "key", noon); err == nil {
				t.Fatalf("%v is read as %+v", changed, got)
			}
		}
		for _, bad := range []error{second(ReadPass(q, "kez", noon)), second(ReadPass(q, "", noon)), second(ReadPass(q, "key", p.Until)), second(ReadPass(q, "key", noon.Add(-2*time.Hour))), second(ReadPass(url.Values{}, "key", noon))} {
			if bad == nil {
				t.Fatal("it must not be read")
			}
		}
	})
}

func second[T any](_ T, err error) error { return err }

// A part of a pass cannot be moved into the next one.
func TestPartsOfAPassStayApart(t *testing.T) {
	q := Pass{"02:a1:60:02:00:1f", "a", "b", noon.Add(time.Minute)}.Sign("key")
	q.Set("network", "a|b")
	q.Set("at", "")
	_, err := ReadPass(q, "key", noon)
	assert.ErrorIs(t, err, ErrPass)
}

func TestCodes(t *testing.T) {
	counts := map[rune]int{}
	for range 2000 {
		b := make([]byte, 16)
		_, _ = rand.Read(b)
		code, ok := Code(b)
		require.True(t, ok)
		for _, r := range code {
			counts[r]++
		}
		shown := ShownCode(code)
		assert.Equal(t, code, NormalCode(" "+strings.ToLower(shown)+" "))
	}
	assert.Len(t, counts, len(letters), "every letter comes")
	_, ok := Code([]byte{255, 254, 253, 252, 251, 250, 249, 248, 1, 2})
	assert.False(t, ok, "octets that would favour some letters are left out")
	for _, bad := range []string{"", "ABCD", "ABCD-EFGH-J", "ABCD-EFG0", "ABCDEFGI", "<script>"} {
		assert.Empty(t, NormalCode(bad), bad)
	}
}

func TestTextIsReadOnItsGround(t *testing.T) {
	for colour, dark := range map[string]bool{"#000000": true, "#ffffff": false, "#8a1c6b": true, "#ffd54a": false, "#f4f1ea": false, "#12202e": true} {
		assert.Equal(t, dark, Dark(colour), colour)
	}
}
