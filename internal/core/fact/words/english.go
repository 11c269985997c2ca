package words

import "example.net/everypost/internal/core/fact"

// English is the language of the product.
var English = must(New(Texts{
	Date: "2 January 2006",
	Words: map[string]string{
		"shut": `{{if eq . "schedule"}}is shut by its schedule{{else if eq . "follow"}}is shut because what it follows is down` +
			`{{else if eq . "flap-guard"}}was shut by its flap guard: its link came and went too often{{else if eq . "loop-protection"}}was shut by loop protection: its own probe came back` +
			`{{else if eq . "bpdu-guard"}}was shut by its BPDU guard: a bridge was heard there{{else}}was shut by the device: {{.}}{{end}}`,
	},
	Facts: map[fact.Code]string{
		"port.link-lost": `{{.Subject}} {{if .A.ShutBy}}{{template "shut" .A.ShutBy}}{{else}}lost its link{{end}}.`,
		"port.link-back": `{{.Subject}} has its link back.`,

		"device.connected": `{{.Device}} is connected.`,
		"device.refused":   `{{.Device}} does not let the service in: {{.A.Why}}.`,
		"device.gone":      `{{.Device}} is gone: {{if eq .A.Cause "ended"}}the session ended{{else if eq .A.Cause "silent"}}it does not answer{{else}}{{.A.Detail}}{{end}}.`,
		"device.steered": `{{.Device}}: {{if .A.Traffic}}{{.A.Traffic}}{{else}}way {{.A.Way}}{{end}} to {{.A.Remote}} ` +
			`{{if not .A.To}}has no way left{{else if eq .A.Why "return"}}went back to {{.A.To}}{{else}}moved to {{.A.To}}{{end}}` +
			`{{if .A.From}}{{if eq .A.Why "limit"}}: {{.A.From}} was at {{printf "%.0f" .A.Delay}} ms, {{printf "%.0f" .A.Jitter}} ms jitter, {{printf "%.1f" .A.Percent}} % loss` +
			`{{else if eq .A.Why "down"}}: {{.A.From}} is down{{else if eq .A.Why "lost"}}: {{.A.From}} is down{{end}}{{end}}.`,
		"device.trouble":       `{{.Device}}: {{trouble .A.Trouble}}`,
		"device.trouble-over":  `{{.Device}}: it is over: {{trouble .A.Trouble}}`,
		"device.retired":       `{{.Device}} was retired by {{.A.By}}.`,
		"device.reinstated":    `{{.Device}} was taken into service again by {{.A.By}}.`,
		"device.login-changed": `The service logs in to {{.Device}} as {{.A.User}} with another password, by {{.A.By}}.`,
		"device.key-accepted":  `A new host key of {{.Device}} was accepted by {{.A.By}}.`,
		"alarm.raised":         `Alarm {{.A.Alarm}}, {{.A.Severity}}: {{alarm .A.Type .Subject .A.Args}}`,
		"alarm.cleared":        `Alarm {{.A.Alarm}} is over{{if .A.By}}: {{.A.By}} closed it ({{.A.Why}}){{end}}. It was: {{alarm .A.Type .Subject .A.Args}}`,

		"device.asked": `{{.A.By}} asked {{.Device}} for {{.A.To}}.`,
		"device.moved": `{{.Device}} is at {{.A.To}} now, and no more at {{.A.From}}.`,

		"config.changed":   `The configuration of {{.Device}} {{if .A.Own}}was changed by this service{{else if .A.By}}was changed by {{.A.By}}{{else}}changed{{end}}.`,
		"config.timed-out": `{{.Device}} undid a change by itself: nobody kept it in time.`,

		"change.on-trial":   `Change {{.Subject}} is on trial on {{.A.On}}.`,
		"change.worse":      `Change {{.Subject}} is on trial, and something is worse than before: {{.A.What}}`,
		"change.undoing":    `Change {{.Subject}} is being undone. {{.A.Why}}`,
		"change.put-back":   `Change {{.Subject}} is being put back. {{.A.Why}}`,
		"change.ended":      `Change {{.Subject}} is {{.A.State}}. {{.A.Outcome}}`,
		"change.not-pushed": `Change {{.Subject}} waited to be pushed, and was not: {{.A.Why}}`,
		"change.discarded":  `Change {{.Subject}} was thrown away.`,

		"job.began": `Job {{.Subject}} ({{.A.Title}}) began{{if .A.Devices}} on {{.A.Devices}} {{if eq .A.Devices 1}}device{{else}}devices{{end}}{{end}}{{if .A.By}}, begun by {{.A.By}}{{end}}.`,
		"job.ended": `Job {{.Subject}} ({{.A.Title}}) {{if eq .A.State "failed"}}failed{{else if eq .A.State "missed"}}was missed{{else}}is {{.A.State}}{{end}}{{if .A.Why}}: {{.A.Why}}{{end}}.{{if and .A.Failed .A.Devices}} {{.A.Failed}} of {{.A.Devices}} failed.{{end}}`,

		"fleet.enrolled":  `{{.Device}} was enrolled by {{.A.By}}.`,
		"fleet.arrived":   `{{.Device}} ({{.A.Serial}}) called home for the first time and is in service, as {{.A.ClaimedBy}} claimed it.`,
		"fleet.replaced":  `{{.Device}} is now the device {{.A.Serial}} in place of {{.A.Old}}: it called home as {{.A.ClaimedBy}} claimed it.`,
		"fleet.renamed":   `{{.A.From}} was renamed to {{.Device}} by {{.A.By}}.`,
		"fleet.forgotten": `{{.Device}} was forgotten by {{.A.By}}.`,
		"fleet.control": `{{if eq .A.Control "watched"}}{{.Device}} is only watched, said {{.A.By}}{{else if eq .A.Control "local"}}{{.Device}} was handed to local control by {{.A.By}}` +
			`{{else}}{{.Device}} is changed from here, said {{.A.By}}{{end}}.`,
		"fleet.site-merged":  `The site {{.Subject}} was merged into {{.A.Into}}.`,
		"fleet.site-removed": `The site {{.Subject}} was removed.`,

		"drift.began": `{{.Device}} does not run what is intended{{if .A.By}} since {{join .A.By ", "}} changed it{{end}}: {{join .A.Differs "; "}}{{if .A.More}}; and {{.A.More}} more{{end}}.`,
		"drift.ended": `{{.Device}} runs what is intended again.`,

		"search.ended":         `Search {{.Subject}} is {{.A.State}}: {{.A.Found}} devices found.`,
		"search.claimed":       `{{.A.By}} claimed the device {{.Subject}} as {{.A.Name}}.`,
		"search.claim-dropped": `{{.A.By}} took the claim of {{.Subject}} back.`,
		"search.claim-asked":   `The device {{.Subject}} ({{.A.Model}}) was switched on and asked what it is to be: {{.A.Name}}.`,
		"search.claim-failed":  `The device {{.Subject}} did not take what it is to be: {{.A.Said}}.`,
	},
	Alarms: map[string]AlarmText{
		"own-rule": {
			What:   `{{.Subject}}{{with .A.of}}, {{.}}{{end}}: {{.A.reading}} {{if eq .A.is "absent"}}was not read for {{.A.for}}{{else}}is {{.A.value}}, {{.A.is}} {{.A.limit}}{{end}} (rule {{.A.rule}}).`,
			Effect: "It is for whoever made the rule to say.", Remedy: "Look at the reading over time, and at what the rule is for.",
		},
		"link-down":   {`{{.Subject}} has no link to {{.A.to}}.`, "What hangs behind it is reached by another way, or not at all.", "Look at the cable and the modules at both ends, and whether the far device has power."},
		"link-part":   {`{{number .A.down}} of {{number .A.of}} cables from {{.Subject}} to {{.A.to}} are down.`, "The link carries less, and would not survive the loss of the rest.", "Look at the cables and the modules of the ports that are down."},
		"tunnel-down": {`The tunnel {{.Subject}} to {{.A.to}} is down.`, "Traffic between the sites goes another way, or not at all.", "Look whether both circuits are up, and whether the far edge is reached."},
		"device-gone": {`{{.Subject}} cannot be reached{{if .A.why}}: {{.A.why}}{{end}}.`, "It is not watched and cannot be changed; what it does for others may be lost.", "Look whether it has power, and whether the way to it is up."},
		"device-refused": {`{{.Subject}} does not let the service in{{if .A.why}}: {{.A.why}}{{end}}.`, "It is not watched and cannot be changed. Another device may stand in its place.",
			"Find out who changed its key or its password before another one is accepted."},
		"errors":       {`{{.Subject}} has {{printf "%.1f" .A.rate}} errors a second.`, "Frames are lost, and what goes over the link is slow.", "Test the cable, and clean or swap the module."},
		"power-budget": {`{{.Subject}} feeds {{printf "%.1f" .A.used}} W of {{printf "%.1f" .A.of}} W.`, "What is plugged in next gets no power.", "Give ports that matter a higher priority, or feed some from elsewhere."},
		"drift": {`{{.Subject}} runs {{number .A.settings}} {{if eq (number .A.settings) "1"}}setting{{else}}settings{{end}} other than intended.`,
			"It does what nobody here decided.", "Accept what it runs, or have what is intended restored."},
		"promise": {`A promise is broken: {{.A.title}}. {{.A.first}}.`, "What must not be is so, or what must be is not.", "Find out who changed what is named (Changes, Drift), and take it back; or change the promise."},
		"circuit-cap": {`{{if .A.over}}{{.Subject}} carried {{printf "%.1f" .A.used}} GB in this month: more than the {{number .A.cap}} GB that {{.A.provider}} lets through{{else}}{{.Subject}} will carry {{printf "%.1f" .A.foreseen}} GB in this month, if it goes on so: more than the {{number .A.cap}} GB that {{.A.provider}} lets through{{end}}.`,
			"The provider slows it down, or more has to be paid.", "Look at what goes over it (volume, applications), have that take another circuit, or order more."},
		"radio-licence": {`{{if eq .A.code "channel"}}{{.Subject}} sends on {{number .A.tx}} MHz, outside the {{number .A.width}} MHz about {{number .A.may}} MHz of licence {{.A.number}}.` +
			`{{else if eq .A.code "plane"}}{{.Subject}} does not send {{.A.plane}}ly, as licence {{.A.number}} says.{{else if eq .A.code "power"}}{{.Subject}} may send with more power than licence {{.A.number}} lets it.` +
			`{{else if eq .A.code "ended"}}{{.Subject}} sends, and licence {{.A.number}} ended on {{.A.ends}}.{{else}}Licence {{.A.number}} of {{.Subject}} ends on {{.A.ends}}.{{end}}`,
			"It may disturb others, and the authority may have it switched off.", "Set both ends back to what the licence says, mute the link, or have the licence changed or renewed."},
		"service-vlan": {`{{.Subject}} does not carry service VLAN {{number .A.vlan}}, which {{.A.near}} sends it: {{.A.from}} does not reach {{.A.to}}.`,
			"What a customer sends there does not come out at the other end.", "Have it carried again (everypost service-vlan carry), or take it off the ports."},
		"disk-full": {`The disk of this service is {{printf "%.0f" .A.percent}} % full.`, "Soon nothing can be recorded any more, and then nothing is done.", "Make room on it."},

		"supply":             {Effect: "The device runs on what is left, and goes down with it.", Remedy: "Look at its feed, and swap the supply."},
		"fan":                {Effect: "The device gets hot.", Remedy: "Swap the fan."},
		"hot":                {Effect: "The device may switch itself off.", Remedy: "Look at its fans, the air around it and the room."},
		"busy":               {Effect: "The device may be slow to answer and to learn.", Remedy: "Look what keeps it busy: a loop, a storm, or somebody who asks it too often."},
		"module":             {Effect: "The link has errors, or will be lost.", Remedy: "Clean the connectors, look at the fibre, swap the module."},
		"clock-ahead":        {Effect: "Its log and its certificates are judged by a wrong time.", Remedy: "Give it a time server that it reaches."},
		"clock-behind":       {Effect: "Its log and its certificates are judged by a wrong time.", Remedy: "Give it a time server that it reaches."},
		"loss":               {Effect: "Calls and all else that goes through it suffer.", Remedy: "Look at the circuit below it, and ask its provider."},
		"bgp":                {Effect: "Routes that came from there are gone.", Remedy: "Look whether the peer is reached, and what changed there."},
		"ospf":               {Effect: "Routes that came from there are gone.", Remedy: "Look at the routers of the site: `everypost routers`, or Between sites, Routes."},
		"certificate-ending": {Effect: "When it has ended, who checks it does not trust the device any more.", Remedy: "Renew it: Certificates, Renew."},
		"certificate-ended":  {Effect: "Who checks it does not trust the device any more.", Remedy: "Renew it: Certificates, Renew."},
		"licence":            {Effect: "What it was for may have stopped.", Remedy: "Renew the licence."},
		"radio-link":         {Effect: "The link carries less, and may be lost.", Remedy: "Wait for the weather; if it is fine, look at the antennas."},
		"input":              {Effect: "It is for whoever wired the contact to say.", Remedy: "Look on the spot."},
		"ring-open":          {Effect: "The ring would not survive another break.", Remedy: "Find the break: the link of the ring that is down."},
		"ring-undefined":     {Effect: "The ring may loop, or not close when it must.", Remedy: "Have one switch of the ring be its manager."},
		"pair":               {Effect: "One switch does the work of both.", Remedy: "Look at the other switch and at the links between them."},
		"keepalive":          {Effect: "If the bundle between them breaks, both may lead.", Remedy: "Look at the way of the keepalive."},
		"rogue-dhcp": {Effect: "Stations that ask it get an address that may lead nowhere, or to where somebody listens.",
			Remedy: "Shut the port or find who plugged that in; switch DHCP snooping on for the VLAN, so that it is not heard."},
		"rogue-dhcp-blocked": {Effect: "None: stations do not hear it.", Remedy: "Find who plugged that in. If it is right, trust its port."},
		"flood":              {Effect: "Whoever floods does not get through with it. Of others nothing is dropped.", Remedy: "Find out what the source is (everypost where) and what it runs; block it at the firewall for a time (everypost policy block)."},
		"dhcp-pool":          {Effect: "Who comes next gets no address.", Remedy: "Widen the ranges, shorten the leases, or find out who takes so many."},
		"controller":         {Effect: "The process is not watched by it.", Remedy: "Look at the controller and at its cable."},
		"member":             {Effect: "Its ports are down.", Remedy: "Look at its power and at the stack cables."},
		"unread":             {Effect: "It is connected, and nothing of it is watched.", Remedy: "Ask its maker for the models that it should announce."},
	},
	Tunnels: map[string]string{
		"away":       `{{.device}} is away: look there first.`,
		"port":       `{{.device}}:{{.port}}, over which it goes, has no link: ask the provider, and look at the cable.`,
		"incomplete": `At {{.device}} it has no port, no remote address or no key: set tunnel-port, tunnel-to and tunnel-secret.`,
		"not-told":   `{{.far}} knows nothing of it: make the other end there, over {{.port}}. "Join" makes both.`,
		"unlike": `{{if eq .in "key"}}{{.device}} and {{.far}} have different pre-shared keys: set tunnel-secret alike at both.` +
			`{{else if eq .in "both-wait"}}{{.device}} and {{.far}} each wait for the other: let one of them begin (tunnel-start).` +
			`{{else if eq .in "identity"}}{{.device}} takes the other end for {{.here}}, {{.far}} takes it for {{.there}}: set tunnel-peer to the host name of the other.` +
			`{{else if eq .in "networks"}}{{.device}} is to carry {{.here}}, {{.far}} {{.there}}: each has to have as its own what the other has beyond.` +
			`{{else if eq .in "group"}}{{.device}} exchanges keys by group {{.here}}, {{.far}} by group {{.there}}: set tunnel-group alike at both.` +
			`{{else}}{{.device}} encrypts by {{.here}}, {{.far}} by {{.there}}: set tunnel-encryption alike at both.{{end}}`,
		"foreign": `{{.peer}} refuses {{.device}}: {{if eq .fault "no-proposal-chosen"}}it wants another encryption or key exchange group (no-proposal-chosen)` +
			`{{else if eq .fault "ts-unacceptable"}}it wants to carry other networks (ts-unacceptable){{else}}the key or the identity is another than it expects (authentication-failed){{end}}. Compare the sheet of the tunnel with its people.`,
		"no-answer":     `Nobody at {{.to}} answers {{.device}}: ask its people whether the other end is set up, and whether UDP 500 and 4500 get through.`,
		"not-begun":     `{{.device}} has not begun it: nobody was at {{.to}} yet.`,
		"underlay":      `Both ends are set alike, and nothing gets through between {{.device}}:{{.port}} and {{.far}}:{{.farport}}: ask the providers whether UDP 500 and 4500 get through.`,
		"unseen":        `It ends at an edge that you may not see: ask who runs that.`,
		"not-explained": `{{.device}} does not say why.`,
	},
	Routers: map[string]string{
		"incomplete":        `Its address or its AS is not said: set peer-address and peer-as.`,
		"no-network":        `{{.address}} is in no network of {{.device}}: set peer-address to a router in a VLAN where it has an address.`,
		"no-answer":         `Nothing answers BGP at {{.address}} on {{.interface}}: look whether the router is there, and whether it is told of {{.device}}.`,
		"authentication":    `The router proves itself by another secret: set {{if eq .protocol "bgp"}}peer-secret{{else}}ospf-secret{{end}} as it is there.`,
		"bad-peer-as":       `The AS of one of the two is not what the other was told: here it is {{.as}} for the router. Compare with its people.`,
		"area-mismatch":     `A router on {{.interface}} is in another area than {{.area}}: set ospf-area as it is there.`,
		"away":              `{{.device}} is not in hand: nothing is known of it now.`,
		"silent":            `No router is heard by OSPF on {{.interface}}: look whether it is plugged in and speaks OSPF, or set ospf-passive=on where there is none.`,
		"waiting":           `It does not stand yet{{if .state}}: {{.state}}{{end}}. Look again in a minute.`,
		"nothing-accepted":  `It stands, and nothing is taken from it: say which prefixes are behind it, with accepts (RFC 8212).`,
		"nothing-announced": `It stands, and it is told nothing: what is behind it has no way back. Say what it is to know, with announces (RFC 8212).`,
	},
	Segments: map[string]string{
		"no-number":    `{{.device}} does not say a number for it: what is in it there reaches no other site. Set segment-number.`,
		"other-number": `{{.device}} knows it by {{.here}}, others by {{.number}}: what is in it there does not meet the rest. Set segment-number alike.`,
		"same-number":  `At {{.device}} it has the number {{.here}}, as segment {{.other}} has: between sites the two are one. Give one of them another number.`,
		"no-such-leak": `{{.device}} leaks {{.other}}, and has no such table.`,
		"no-answer":    `{{.device}} leaks {{.other}}, which does not leak it in turn: what is asked there is not answered.`,
	},
	RadioLinks: map[string]string{
		"away":         `{{.at}} is away: look there first.`,
		"silent":       `{{.at}} does not send: switch its port and its transmitter on.`,
		"frequency":    `{{.from}} sends on {{.sends}} MHz, and {{.to}} hears on {{.hears}} MHz: set both in one draft.`,
		"separation":   `The channels of {{.from}} and {{.to}} are not of one width: set channel-separation alike at both.`,
		"polarization": `{{.from}} and {{.to}} are polarised differently: set polarization alike at both, and turn both antennas.`,
		"faint":        `{{.at}} receives {{printf "%.1f" .dbm}} dBm, and its lowest modulation, {{.modulation}}, takes some {{printf "%.0f" .need}} dBm: wait for the rain to pass; if it is fine, look at the antennas.`,
		"unheard":      `{{.at}} hears nothing, though both ends are set alike: look at the power of the other end, and at what stands between them.`,
	},
	Troubles: map[string]string{
		"unread":             `{{.why}}`,
		"supply":             `Power supply {{.name}} gives no power.`,
		"fan":                `Fan {{.name}} does not turn.`,
		"hot":                `It is {{printf "%.0f" .celsius}} °C hot; {{printf "%.0f" .limit}} °C is the limit.`,
		"busy":               `The processor is {{printf "%.0f" .percent}} % busy.`,
		"module":             `The module in {{.port}} receives {{printf "%.1f" .dbm}} dBm; its limit is {{printf "%.1f" .limit}} dBm.`,
		"clock-ahead":        `Its clock is {{number .seconds}} s ahead, {{if .server}}although {{.server}} sets it{{else}}no server sets it{{end}}.`,
		"clock-behind":       `Its clock is {{number .seconds}} s behind, {{if .server}}although {{.server}} sets it{{else}}no server sets it{{end}}.`,
		"bundle":             `{{number .lost}} of {{number .of}} ports of {{.name}} are not in the bundle.`,
		"tunnel":             `Tunnel {{.name}} to {{.to}} is down.`,
		"loss":               `Tunnel {{.name}} to {{.to}} loses {{printf "%.1f" .percent}} %.`,
		"bgp":                `BGP with {{.with}} is {{.state}}.`,
		"ospf":               `OSPF on {{.interface}}, area {{.area}}, has no router to exchange routes with.`,
		"certificate-ending": `The certificate {{.name}} ends on {{date .on}}.`,
		"certificate-ended":  `The certificate {{.name}} ended on {{date .on}}.`,
		"licence":            `The licence {{.name}} ended on {{date .on}}.`,
		"radio-link":         `The radio link receives {{printf "%.1f" .dbm}} dBm and carries {{number .mbps}} Mbit/s.`,
		"input":              `{{if .text}}{{.text}}{{else}}Contact input {{.number}} is {{.contact}}{{end}} (contact input {{.number}}, {{.severity}}).`,
		"ring-open":          `Ring {{.name}} is open: it works, and would not survive another break.`,
		"ring-undefined":     `Ring {{.name}} has no manager, or more than one.`,
		"pair":               `The other switch of the pair {{.name}} is not heard.`,
		"keepalive":          `The keepalive of the pair {{.name}} is not heard: if the bundle between them breaks, both may lead.`,
		"rogue-dhcp":         `{{.mac}} behind {{.port}} gives out addresses in VLAN {{number .vlan}}; it calls itself {{.address}}.`,
		"rogue-dhcp-blocked": `{{.mac}} behind {{.port}} would give out addresses in VLAN {{number .vlan}}; DHCP snooping keeps stations from hearing it.`,
		"flood":              `It drops {{number .rate}} new {{.protocol}} sessions a second of zone {{.zone}}: {{.source}} begins more than the limit of the zone.`,
		"dhcp-pool":          `Of the addresses that it gives out {{if .network}}to stations of network {{.network}}{{else}}in VLAN {{number .vlan}}{{end}}, {{number .free}} of {{number .of}} are left.`,
		"controller":         `The process controller {{.address}} is not connected.`,
		"member":             `Member {{.name}} of the stack is not there.`,
	},
}))

func must(c *Catalogue, err error) *Catalogue {
	if err != nil {
		panic(err)
	}
	return c
}
