package radiolink

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/setting"
)

func licence(more func(l *Licence)) Licence {
	most := 20.0
	l := Licence{Number: "SH-4471", Authority: "Sound Harbour Board", TxMHz: 19_315, WidthMHz: 110, Polarization: "vertical", MostDbm: &most, Ends: "2027-01-31"}
	if more != nil {
		more(&l)
	}
	return l
}

func TestWhatALicenceCovers(t *testing.T) {
	t.Parallel()
	good := setting.Carrier{On: true, TxMHz: 19_315, SeparationMHz: 110, Polarization: "vertical", PowerDbm: 20}
	for name, tc := range map[string]struct {
		send func(c *setting.Carrier)
		l    func(l *Licence)
		want string
	}{
		"as it says":               {want: ""},
		"a narrower channel":       {send: func(c *setting.Carrier) { c.TxMHz, c.SeparationMHz = 19_342.5, 55 }, want: ""},
		"over its edge":            {send: func(c *setting.Carrier) { c.TxMHz, c.SeparationMHz = 19_343, 55 }, want: OutsideChannel},
		"below it":                 {send: func(c *setting.Carrier) { c.TxMHz = 19_314 }, want: OutsideChannel},
		"wider":                    {send: func(c *setting.Carrier) { c.SeparationMHz = 112 }, want: OutsideChannel},
		"the other plane":          {send: func(c *setting.Carrier) { c.Polarization = "horizontal" }, want: OutsidePlane},
		"either plane":             {send: func(c *setting.Carrier) { c.Polarization = "horizontal" }, l: func(l *Licence) { l.Polarization = "" }, want: ""},
		"louder":                   {send: func(c *setting.Carrier) { c.PowerDbm = 20.5 }, want: OutsidePower},
		"of power nothing is said": {send: func(c *setting.Carrier) { c.PowerDbm = 30 }, l: func(l *Licence) { l.MostDbm = nil }, want: ""},
		"silent":                   {send: func(c *setting.Carrier) { c.On, c.TxMHz = false, 1 }, want: ""},
		"nothing set":              {send: func(c *setting.Carrier) { c.TxMHz = 0 }, want: ""},
	} {
		c := good
		if tc.send != nil {
			tc.send(&c)
		}
		assert.Equal(t, tc.want, licence(tc.l).Outside(c), name)
	}
}

func TestWhenALicenceEnds(t *testing.T) {
	t.Parallel()
	for day, want := range map[string]string{"2026-11-30T00:00:00Z": "", "2026-12-03T00:00:00Z": Ending, "2027-01-31T23:59:59Z": Ending, "2027-02-01T00:00:00Z": Ended, "2030-01-01T00:00:00Z": Ended} {
		at, err := time.Parse(time.RFC3339, day)
		assert.NoError(t, err)
		assert.Equal(t, want, licence(nil).Stands(at), day)
		assert.Empty(t, licence(func(l *Licence) { l.Ends = "" }).Stands(at))
	}
	over := time.Date(2028, 1, 1, 0, 0, 0, 0, time.UTC)
	assert.Equal(t, []string{OutsideChannel, Ended}, licence(nil).Wrong(setting.Carrier{On: true, TxMHz: 23_000, SeparationMHz: 55}, over))
	assert.Empty(t, licence(nil).Wrong(setting.Carrier{TxMHz: 23_000}, over), "who is silent needs none")
}

func TestWhatIsNoLicence(t *testing.T) {
	t.Parallel()
	loud := 99.0
	for says, change := range map[string]func(l *Licence){
		"number: say by which":    func(l *Licence) { l.Number = "  " },
		"authority: it has":       func(l *Licence) { l.Authority = strings.Repeat("x", 201) },
		"notes: it has":           func(l *Licence) { l.Notes = "a\x00b" },
		"tx_mhz:":                 func(l *Licence) { l.TxMHz = 0 },
		"width_mhz:":              func(l *Licence) { l.WidthMHz = -1 },
		`polarization: "slanted"`: func(l *Licence) { l.Polarization = "slanted" },
		"most_dbm:":               func(l *Licence) { l.MostDbm = &loud },
		`ends: "soon" is no day`:  func(l *Licence) { l.Ends = "soon" },
	} {
		l := licence(change)
		err := l.Check()
		assert.ErrorIs(t, err, ErrLicence)
		assert.ErrorContains(t, err, says)
	}
	l := licence(func(l *Licence) { l.Number = " SH-1 " })
	assert.NoError(t, l.Check())
	assert.Equal(t, "SH-1", l.Number)
}
