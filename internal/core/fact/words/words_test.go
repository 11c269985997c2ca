package words_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/overlay"
	"example.net/everypost/internal/core/peering"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/segment"
)

var (
	device = fact.TheDevice("th-sw-02")
	port   = fact.ThePort("th-sw-02", "1/1/7")
	change = fact.TheChange(128)
	broken = network.Trouble{Key: "module 1/1/25", Code: "module", Args: map[string]any{"port": "1/1/25", "dbm": -21.04, "limit": -19.5}}
)

// said is every happening there is, and the sentence that people read.
var said = map[string]fact.Fact{
	"th-sw-02:1/1/7 lost its link.": {Subject: port, What: fact.LinkLost{Oper: network.Down}},
	"th-sw-02:1/1/7 was shut by its flap guard: its link came and went too often.": {Subject: port, What: fact.LinkLost{Oper: network.Down, ShutBy: "flap-guard"}},
	"th-sw-02:1/1/7 was shut by the device: gremlins.":                             {Subject: port, What: fact.LinkLost{Oper: network.Down, ShutBy: "gremlins"}},
	"th-sw-02:1/1/7 has its link back.":                                            {Subject: port, What: fact.LinkBack{}},
	"th-sw-02 is connected.":                                                       {Subject: device, What: fact.DeviceConnected{}},
	"th-sw-02 does not let the service in: it shows another key.":                  {Subject: device, What: fact.DeviceRefused{Why: "it shows another key"}},
	"th-sw-02 is gone: it does not answer.":                                        {Subject: device, What: fact.DeviceGone{Cause: fact.Mute, Detail: "x"}},
	"th-sw-02 is gone: the session ended.":                                         {Subject: device, What: fact.DeviceGone{Cause: fact.Ended}},
	"th-sw-02 is gone: no route to host.":                                          {Subject: device, What: fact.DeviceGone{Cause: fact.Else, Detail: "no route to host"}},
	"th-sw-02: The module in 1/1/25 receives -21.0 dBm; its limit is -19.5 dBm.":   {Subject: device, What: fact.DeviceTrouble{Trouble: broken}},
	"th-sw-02: application voice to hh-edge-01 moved to th-cellular-hub1: th-fibre-hub1 was at 190 ms, 25 ms jitter, 4.2 % loss.": {Subject: device, What: fact.DeviceSteered{Way: 10, Remote: "hh-edge-01", From: "th-fibre-hub1", To: "th-cellular-hub1", Why: "limit", Delay: 190.2, Jitter: 25.3, Percent: 4.2, Traffic: "application voice"}},
	"th-sw-02: way 20 to hh-edge-01 went back to th-fibre-hub1.":                                                                  {Subject: device, What: fact.DeviceSteered{Way: 20, Remote: "hh-edge-01", From: "th-cellular-hub1", To: "th-fibre-hub1", Why: "return"}},
	"th-sw-02: application video to hh-edge-01 has no way left: th-fibre-hub1 is down.":                                           {Subject: device, What: fact.DeviceSteered{Way: 20, Remote: "hh-edge-01", From: "th-fibre-hub1", Why: "lost", Traffic: "application video"}},
	"th-sw-02: it is over: The module in 1/1/25 receives -21.0 dBm; its limit is -19.5 dBm.":                                      {Subject: device, What: fact.DeviceTroubleOver{Trouble: broken}},
	"th-sw-02 was retired by ada.":                                                                          {Subject: device, What: fact.DeviceRetired{By: "ada"}},
	"th-sw-02 was taken into service again by ada.":                                                         {Subject: device, What: fact.DeviceReinstated{By: "ada"}},
	"The service logs in to th-sw-02 as fleet with another password, by ada.":                               {Subject: device, What: fact.DeviceLoginChanged{By: "ada", User: "fleet"}},
	"A new host key of th-sw-02 was accepted by ada.":                                                       {Subject: device, What: fact.DeviceKeyAccepted{By: "ada"}},
	"Alarm 7, major: th-sw-02:1/1/7 has no link to th-sw-01:1/1/49.":                                        {Subject: port, What: fact.AlarmRaised{Alarm: 7, Type: "link-down", Severity: "major", Args: map[string]any{"to": "th-sw-01:1/1/49"}}},
	"Alarm 7 is over. It was: th-sw-02: Fan fan1 does not turn.":                                            {Subject: device, What: fact.AlarmCleared{Alarm: 7, Type: "fan", Args: map[string]any{"name": "fan1"}}},
	"Alarm 7 is over: ada closed it (known). It was: th-sw-02 cannot be reached.":                           {Subject: device, What: fact.AlarmCleared{Alarm: 7, Type: "device-gone", Args: map[string]any{"why": ""}, By: "ada", Why: "known"}},
	"Job 4 (Nightly) began on 12 devices.":                                                                  {Subject: fact.TheJob(4), What: fact.JobBegan{Title: "Nightly", Run: 9, Devices: 12}},
	"Job 4 (Nightly) began on 1 device, begun by ada.":                                                      {Subject: fact.TheJob(4), What: fact.JobBegan{Title: "Nightly", Run: 9, Devices: 1, By: "ada"}},
	"Job 4 (Nightly) is done.":                                                                              {Subject: fact.TheJob(4), What: fact.JobEnded{Title: "Nightly", Run: 9, State: "done", Devices: 12}},
	"Job 4 (Nightly) failed: it stopped after 1 failed. 1 of 12 failed.":                                    {Subject: fact.TheJob(4), What: fact.JobEnded{Title: "Nightly", Run: 9, State: "failed", Why: "it stopped after 1 failed", Devices: 12, Failed: 1, Skipped: 7}},
	"ada asked th-sw-02 for reboot.":                                                                        {Subject: device, What: fact.DeviceAsked{By: "ada", To: "reboot"}},
	"th-sw-02 is at 127.20.0.19:830 now, and no more at 127.20.0.2:830.":                                    {Subject: device, What: fact.DeviceMoved{From: "127.20.0.2:830", To: "127.20.0.19:830"}},
	"The configuration of th-sw-02 changed.":                                                                {Subject: device, What: fact.ConfigChanged{}},
	"The configuration of th-sw-02 was changed by night-shift.":                                             {Subject: device, What: fact.ConfigChanged{By: "night-shift"}},
	"The configuration of th-sw-02 was changed by this service.":                                            {Subject: device, What: fact.ConfigChanged{By: "fleet", Own: true}},
	"th-sw-02 undid a change by itself: nobody kept it in time.":                                            {Subject: device, What: fact.ConfigTimedOut{}},
	"Change 128 is on trial on th-sw-02.":                                                                   {Subject: change, What: fact.ChangeOnTrial{On: "th-sw-02"}},
	"Change 128 is on trial, and something is worse than before: lag1":                                      {Subject: change, What: fact.ChangeWorse{What: "lag1"}},
	"Change 128 is being undone. Nobody kept it in time.":                                                   {Subject: change, What: fact.ChangeUndoing{Why: "Nobody kept it in time."}},
	"Change 128 is being put back. One went back.":                                                          {Subject: change, What: fact.ChangeBack{Why: "One went back."}},
	"Change 128 is kept. It runs on 2 devices.":                                                             {Subject: change, What: fact.ChangeEnded{State: "kept", Outcome: "It runs on 2 devices."}},
	"Change 128 waited to be pushed, and was not: too late":                                                 {Subject: change, What: fact.ChangeNotPushed{Why: "too late"}},
	"Change 128 was thrown away.":                                                                           {Subject: change, What: fact.ChangeDiscarded{}},
	"th-sw-02 was enrolled by ada.":                                                                         {Subject: device, What: fact.DeviceEnrolled{By: "ada"}},
	"th-sw-02 (HY1) called home for the first time and is in service, as ada claimed it.":                   {Subject: device, What: fact.DeviceArrived{Serial: "HY1", ClaimedBy: "ada"}},
	"th-sw-02 is now the device HY2 in place of HY1: it called home as ada claimed it.":                     {Subject: device, What: fact.DeviceReplaced{Serial: "HY2", Old: "HY1", ClaimedBy: "ada"}},
	"th-quay was renamed to th-sw-02 by ada.":                                                               {Subject: device, What: fact.DeviceRenamed{From: "th-quay", By: "ada"}},
	"th-sw-02 was forgotten by ada.":                                                                        {Subject: device, What: fact.DeviceForgotten{By: "ada"}},
	"th-sw-02 is changed from here, said ada.":                                                              {Subject: device, What: fact.DeviceControl{Control: network.ControlHere, By: "ada"}},
	"th-sw-02 is only watched, said ada.":                                                                   {Subject: device, What: fact.DeviceControl{Control: network.ControlWatched, By: "ada"}},
	"th-sw-02 was handed to local control by ada.":                                                          {Subject: device, What: fact.DeviceControl{Control: network.ControlLocal, By: "ada"}},
	"The site annex was removed.":                                                                           {Subject: fact.TheSite("annex"), What: fact.SiteRemoved{}},
	"The site annex was merged into tern-haven.":                                                            {Subject: fact.TheSite("annex"), What: fact.SiteMerged{Into: "tern-haven"}},
	"th-sw-02 does not run what is intended since wren, bram changed it: 1 vlan is 30, not 20; and 2 more.": {Subject: device, What: fact.DriftBegan{Differs: []string{"1 vlan is 30, not 20"}, More: 2, By: []string{"wren", "bram"}}},
	"th-sw-02 does not run what is intended: 1 vlan is 30, not 20.":                                         {Subject: device, What: fact.DriftBegan{Differs: []string{"1 vlan is 30, not 20"}}},
	"th-sw-02 runs what is intended again.":                                                                 {Subject: device, What: fact.DriftEnded{}},
	"Search 3 is finished: 12 devices found.":                                                               {Subject: fact.TheSearch(3), What: fact.SearchEnded{State: "finished", Found: 12}},
	"ada claimed the device HY1 as th-sw-02.":                                                               {Subject: fact.TheSerial("HY1"), What: fact.Claimed{Name: "th-sw-02", By: "ada"}},
	"ada took the claim of HY1 back.":                                                                       {Subject: fact.TheSerial("HY1"), What: fact.ClaimDropped{By: "ada"}},
	"The device HY1 (H24P) was switched on and asked what it is to be: th-sw-02.":                           {Subject: fact.TheSerial("HY1"), What: fact.ClaimAsked{Model: "H24P", Name: "th-sw-02"}},
	"The device HY1 did not take what it is to be: no room.":                                                {Subject: fact.TheSerial("HY1"), What: fact.ClaimFailed{Said: "no room"}},
}

func TestEveryFactHasItsSentenceAlsoAfterItWasKept(t *testing.T) {
	t.Parallel()
	seen := map[fact.Code]bool{}
	for want, f := range said {
		assert.Equal(t, want, words.English.Fact(f))
		args, err := fact.Arguments(f.What)
		require.NoError(t, err, want)
		again, err := fact.Read(f.Code(), args)
		require.NoError(t, err, want)
		assert.Equal(t, want, words.English.Fact(fact.Of(time.Time{}, f.Subject, again)), "read again")
		seen[f.Code()] = true
	}
	for _, c := range fact.Codes() {
		assert.True(t, seen[c], "%s is in no example", c)
		assert.Contains(t, fact.Kinds(), c.Kind(), c)
	}
}

func TestWhatIsNotKnownIsToldAllTheSame(t *testing.T) {
	t.Parallel()
	_, err := fact.Read("port.sings", []byte(`{}`))
	require.ErrorContains(t, err, "port.sings")
	_, err = fact.Read("device.gone", []byte(`{"cause": 7}`))
	require.Error(t, err)
	assert.Contains(t, words.English.Fact(fact.Fact{Subject: port, What: fact.Foreign{Named: "port.sings"}}), "port.sings")
	assert.Contains(t, words.English.Trouble(network.Trouble{Code: "gremlins"}), "gremlins")
}

// Another language is another catalogue, and nothing else.
func TestAnotherLanguage(t *testing.T) {
	t.Parallel()
	c, err := words.New(words.Texts{Facts: map[fact.Code]string{"port.link-lost": "{{.Subject}}: lien perdu."}})
	require.NoError(t, err)
	assert.Equal(t, "th-sw-02:1/1/7: lien perdu.", c.Fact(fact.Fact{Subject: port, What: fact.LinkLost{}}))
	_, err = words.New(words.Texts{Facts: map[fact.Code]string{"port.link-lost": "{{.Subject"}})
	require.Error(t, err)
}

// Every reason why a tunnel is down is a sentence, with nothing of a template left in it.
func TestEveryReasonOfATunnelHasItsSentence(t *testing.T) {
	t.Parallel()
	args := map[string]any{"name": "quay", "device": "a", "port": "wan1", "far": "b", "farport": "wan2", "to": "198.18.0.2", "peer": "gate", "fault": "ts-unacceptable", "here": "19", "there": "31"}
	for _, code := range []string{overlay.WhyAway, overlay.WhyPort, overlay.WhyIncomplete, overlay.WhyNotTold, overlay.WhyForeign, overlay.WhyNoAnswer, overlay.WhyUnderlay, overlay.WhyUnseen, overlay.WhyNotBegun, overlay.WhyUnexplained} {
		text := words.English.Tunnel(overlay.Why{Code: code, Args: args})
		assert.Regexp(t, `^[^{}]+\.$`, text, code)
		assert.NotContains(t, text, "tunnel "+code)
	}
	seen := map[string]bool{}
	for _, in := range []overlay.Difference{overlay.OtherEncryption, overlay.OtherGroup, overlay.OtherKey, overlay.OtherIdentity, overlay.OtherNetworks, overlay.BothWait} {
		args["in"] = string(in)
		text := words.English.Tunnel(overlay.Why{Code: overlay.WhyUnlike, Args: args})
		assert.Regexp(t, `^a .*\bb\b.*\.$`, text, in)
		assert.False(t, seen[text], "%s is said like another", in)
		seen[text] = true
	}
	assert.NotContains(t, words.English.Tunnel(overlay.Why{Code: overlay.WhyUnlike, Args: args}), "{{")
}

// Every trouble that a device can have is a sentence, with nothing of a template left in it.
func TestEveryTroubleHasItsSentence(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 11, 2, 12, 0, 0, 0, time.UTC)
	inside := network.Inside{ObservedAt: at,
		Hardware: network.Hardware{Supplies: []network.Supply{{Name: "psu2"}}, Fans: []network.Fan{{Name: "fan1"}}, Temperature: 96, CPUPercent: 99,
			Transceivers: []network.Module{{Port: "1/1/25", RxDbm: -21, Limits: network.Limits{RxLow: -19}}}},
		Clock:    &network.Clock{AheadSeconds: -3700},
		Bundles:  []network.Bundle{{Name: "lag1", Members: []network.BundleMember{{Port: "1"}, {Port: "2", InSync: true}}}},
		Tunnels:  []network.Tunnel{{Name: "t1", RemoteSystem: "ol-edge-01"}, {Name: "t2", RemoteSystem: "gs-edge-01", Up: true, LossPercent: 40}},
		Licences: []network.Licence{{Name: "threat signatures", Ends: at.Add(-time.Hour)}},
		Contacts: []network.ContactState{{Number: "2", Contact: "open", Severity: "major", Alarm: true}},
		Rings:    []network.RingState{{Name: "dock", State: network.RingOpen}, {Name: "quay", State: network.RingUndefined}},
	}
	var texts []string
	for _, x := range inside.Troubles() {
		texts = append(texts, words.English.Trouble(x))
	}
	all := strings.Join(texts, "\n")
	for _, want := range []string{"Power supply psu2 gives no power.", "Fan fan1 does not turn.", "It is 96 °C hot; ", "The processor is 99 % busy.", "The module in 1/1/25 receives -21.0 dBm; its limit is -19.0 dBm.",
		"Its clock is 3700 s behind, no server sets it.", "1 of 2 ports of lag1 are not in the bundle.", "Tunnel t1 to ol-edge-01 is down.", "Tunnel t2 to gs-edge-01 loses 40.0 %.",
		"The licence threat signatures ended on 2 November 2026.", "Contact input 2 is open (contact input 2, major).", "Ring dock is open", "Ring quay has no manager"} {
		assert.Contains(t, all, want)
	}
	assert.NotContains(t, all, "trouble ")
	assert.NotContains(t, all, "<no value>")
}

func TestEveryFaultOfASegmentHasItsSentence(t *testing.T) {
	t.Parallel()
	for _, code := range []string{segment.NoNumber, segment.OtherNumber, segment.SameNumber, segment.NoSuchLeak, segment.NoAnswer} {
		text := words.English.Segment("cranes", 90, segment.Fault{Code: code, Device: "a", Number: 91, Other: "guests"})
		assert.Regexp(t, `^[^{}]*\ba\b[^{}]+\.$`, text, code)
		assert.NotContains(t, text, "segment "+code)
	}
}

func TestEveryReasonOfARouterHasItsSentence(t *testing.T) {
	t.Parallel()
	for _, protocol := range []string{peering.BGP, peering.OSPF} {
		for _, code := range []string{peering.Incomplete, peering.NoNetwork, peering.NoAnswer, peering.Authentication, peering.BadAS, peering.AreaMismatch, peering.Away, peering.Silent, peering.Waiting, peering.NothingTaken, peering.NothingTold} {
			text := words.English.Router(peering.Neighbour{Device: "a", Protocol: protocol, Address: "10.6.20.5", Interface: "vlan20", AS: 64900, Area: "0.0.0.0", Why: code})
			assert.Regexp(t, `^[^{}]{20,}\.$`, text, code)
			assert.NotContains(t, text, "router "+code)
		}
	}
	assert.Empty(t, words.English.Router(peering.Neighbour{}))
}

func TestEveryReasonOfARadioLinkHasItsSentence(t *testing.T) {
	t.Parallel()
	args := map[string]any{"at": "a:radio0", "from": "a:radio0", "to": "b:radio0", "sends": 18305.0, "hears": 18415.5, "dbm": -82.71, "need": -76.4, "modulation": "QPSK"}
	for _, code := range []string{radiolink.WhyAway, radiolink.WhyFaint, radiolink.WhyUnheard, string(radiolink.Silent), string(radiolink.Frequency), string(radiolink.Separation), string(radiolink.Polarization)} {
		text := words.English.RadioLink(radiolink.Why{Code: code, Args: args})
		assert.Regexp(t, `^[^{}]*a:radio0[^{}]+\.$`, text, code)
		assert.NotContains(t, text, "radio-link "+code)
	}
	assert.Contains(t, words.English.RadioLink(radiolink.Why{Code: string(radiolink.Frequency), Args: args}), "a:radio0 sends on 18305 MHz, and b:radio0 hears on 18415.5 MHz")
}
