package main

import (
	"context"
	"fmt"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// demoPortals are the pages on which the company receives guests.
var demoPortals = map[string]v1.GuestPortalRequest{
	"landing": {Title: "Passengers at terminals", Way: "agree", Minutes: 240, RateKbps: 4000, AsksForName: true, Look: v1.PortalLook{
		Heading: "Welcome aboard", Text: "Free while you wait for your ferry.", Button: "Agree and go online", Accent: "#0b5d7a", Ground: "#e6edf1",
		Terms: "You use this network at your own risk.\n\nBe kind to others: no large downloads while the ferry is in.\nWe keep the address of your device for 90 days, and nothing of what you look at."}},
	"pier": {Title: "Visitors of the pier works", Way: "host", Minutes: 480, Look: v1.PortalLook{
		Heading: "Marram Point pier", Text: "Say whom you visit. Somebody lets you in.", Accent: "#8a3b12", Terms: "Stay on the marked paths. What you see at the works is not for others."}},
	"press": {Title: "Press trips", Way: "voucher", Minutes: 1440, Look: v1.PortalLook{Heading: "Press desk", Text: "Your voucher came with the invitation."}},
}

// demoGuests says which portal receives whom.
var demoGuests = []struct{ portal, where string }{{"landing", "site = tern-haven"}, {"pier", "site = marram-point"}}

// furnishGuests makes the portals, puts them before the network for passengers, and makes vouchers for a press trip.
func furnishGuests(ctx context.Context, c *client.Client) error {
	for name, p := range demoPortals {
		if _, err := c.PutGuestPortal(ctx, name, p); err != nil {
			return err
		}
	}
	if _, err := c.MakeVouchers(ctx, "press", v1.VoucherOrder{Count: 12, Label: "maiden voyage of MV Sandpiper"}); err != nil {
		return err
	}
	change := int64(0)
	for _, g := range demoGuests {
		answer, err := c.CarryGuestPortal(ctx, g.portal, v1.PortalCarryRequest{Network: "passengers", Where: g.where, Change: change, Why: "receive guests on a page"})
		if err != nil {
			return err
		}
		change = answer.Change.Number
	}
	return pushAll(ctx, c, change)
}

// pushAll pushes a draft, whatever the guards say of it, and keeps it.
func pushAll(ctx context.Context, c *client.Client, number int64) error {
	checked, err := c.Check(ctx, number)
	if err != nil {
		return err
	}
	var accept []string
	for _, f := range checked.Findings {
		accept = append(accept, f.ID)
	}
	if _, err := c.Push(ctx, number, 0, v1.PushRequest{Accept: accept}); err != nil {
		return err
	}
	over := func(ch v1.Change) bool { return ch.State == "on-trial" || ch.State == "failed" || ch.State == "undone" }
	ch, err := c.Follow(ctx, number, func(v1.Change) {}, over)
	if err == nil && ch.State != "on-trial" {
		err = fmt.Errorf("change %d does not run: %s", number, ch.Outcome)
	}
	if err == nil {
		_, err = c.Keep(ctx, number)
	}
	return err
}
