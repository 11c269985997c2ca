package main

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
)

// demoTemplate is a template of the company.
type demoTemplate struct {
	name, title, pick string
	devices           bool // it is for devices; else for ports
	order             int
	set               map[string]string
}

// demoTemplates are what the company wants of its switches and their ports, the weakest first.
var demoTemplates = []demoTemplate{
	{"every-switch", "Every switch", "kind = switch", true, 50, map[string]string{"stp": "rapid"}},
	{"spare-port", "Ports without a purpose", `kind = switch and port.description = ""`, false, 50, map[string]string{"mode": "access", "vlan": "99"}},
	{"office-desk", "Desks", `kind = switch and port.description ~ "Office desk*"`, false, 100, map[string]string{"mode": "access", "vlan": "20"}},
	{"telephone", "Telephones", `kind = switch and port.description ~ "Phone*"`, false, 100, map[string]string{"mode": "access", "vlan": "30"}},
	{"ticket-counter", "Ticket counters", `kind = switch and port.description ~ "Ticket counter*"`, false, 100, map[string]string{"mode": "access", "vlan": "40"}},
	{"camera", "Cameras", `kind = switch and port.description ~ "Camera*"`, false, 100, map[string]string{"mode": "access", "vlan": "50"}},
	{"gate-or-display", "Ticket gates and boarding displays", `kind = switch and (port.description ~ "Gate*" or port.description ~ "Boarding display*")`, false, 100, map[string]string{"mode": "access", "vlan": "60"}},
	{"access-point-uplink", "Access points", `kind = switch and port.peer ~ "*-ap-*"`, false, 200, map[string]string{"mode": "trunk", "native-vlan": "10", "trunk-vlans": "20,70,80"}},
	{"between-switches", "Links between switches", `kind = switch and (port.peer ~ "*-sw-*" or port.peer ~ "*-core-*")`, false, 200, map[string]string{"mode": "trunk", "trunk-vlans": "10,20,30,40,50,60,70,80,90,99"}},
}

// demoVLANNames are what every switch of the company is to call its VLANs.
var demoVLANNames = map[int]string{10: "management", 20: "office", 30: "voice", 40: "ticketing", 50: "cameras", 60: "gates and displays", 70: "crew Wi-Fi", 80: "passenger Wi-Fi", 90: "cranes and ramps", 99: "quarantine"}

// makeTemplates makes the templates before there is a device, so that what devices run is held against them as they come.
func makeTemplates(ctx context.Context, c *client.Client) error {
	in := v1.BulkRequest{Why: "what the company wants of its switches and their ports"}
	for _, t := range demoTemplates {
		kind, object := "ports", ":port"
		if t.devices {
			kind, object = "devices", ""
		}
		in.Rows = append(in.Rows,
			v1.BulkRow{On: []string{"template/" + t.name + ":self"}, Set: map[string]string{"present": "on", "title": t.title, "for": kind, "pick": t.pick, "order": strconv.Itoa(t.order)}},
			v1.BulkRow{On: []string{"template/" + t.name + object}, Set: t.set})
	}
	for id, name := range demoVLANNames {
		in.Rows = append(in.Rows, v1.BulkRow{On: []string{"template/every-switch:vlan/" + strconv.Itoa(id)}, Set: map[string]string{"present": "on", "name": name}})
	}
	return keepTemplates(ctx, c, in)
}

// demoPlaceNames are what firewalls call networks of their site, by the VLAN.
var demoPlaceNames = map[string]string{"desks": "vlan/20", "counters": "vlan/40", "boarding-halls": "vlan/60"}

// makePlaces says once for all firewalls what places they speak of: what each was found with follows from then on.
func makePlaces(ctx context.Context, c *client.Client) error {
	in := v1.BulkRequest{Why: "desks, counters and halls are at each site what that has", Rows: []v1.BulkRow{
		{On: []string{"template/every-firewall:self"}, Set: map[string]string{"present": "on", "title": "Every firewall", "for": "devices", "pick": "kind = firewall", "order": "50"}}}}
	for name, vlan := range demoPlaceNames {
		in.Rows = append(in.Rows, v1.BulkRow{On: []string{"template/every-firewall:address/" + name}, Set: map[string]string{"present": "on", "addresses": vlan}})
	}
	return keepTemplates(ctx, c, in)
}

// keepTemplates pushes a draft of templates that changes no device.
func keepTemplates(ctx context.Context, c *client.Client, in v1.BulkRequest) error {
	answer, err := c.Bulk(ctx, in)
	if err != nil || answer.Change == nil {
		return err
	}
	number := answer.Change.Number
	if _, err := c.Check(ctx, number); err != nil {
		return err
	}
	if _, err := c.Push(ctx, number, 0, v1.PushRequest{}); err != nil {
		return err
	}
	ch, err := c.Follow(ctx, number, func(v1.Change) {}, func(ch v1.Change) bool { return ch.State == "kept" || ch.State == "failed" })
	if err == nil && ch.State != "kept" {
		err = fmt.Errorf("the templates were not kept: %s", ch.Outcome)
	}
	return err
}

// demoTinkered is the port that somebody of the night shift changed.
const demoTinkered = "ng-sw-02:1/1/5"

// tinker has somebody change a port on the spot, once it is known what it ran before.
func tinker(ctx context.Context, c *client.Client, world *standin.World) error {
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	for {
		st, err := c.Standing(ctx, v1.StandingRequest{On: []string{demoTinkered}})
		if err != nil {
			return err
		}
		for _, one := range st.Items {
			if one.Setting == "vlan" && len(one.Layers) > 0 {
				return world.Throw(standin.Tinker, demoTinkered)
			}
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("%s was not read: %w", demoTinkered, ctx.Err())
		case <-time.After(50 * time.Millisecond):
		}
	}
}
