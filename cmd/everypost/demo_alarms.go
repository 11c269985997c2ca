package main

import (
	"context"
	"errors"
	"time"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
)

// The cable that comes loose while the company's service is set up, and is put right again.
const demoLoose = "gs-sw-01:1/1/25"

// furnishAlarms leaves behind an incident that is over, with what was said of it, and an alarm that somebody has in hand. What else is set up
// meanwhile is up to setUp.
func furnishAlarms(ctx context.Context, c *client.Client, world *standin.World, setUp func() error) error {
	bram, err := signedInAs(ctx, c.Base, "bram")
	if err != nil {
		return err
	}
	if err := world.Throw(standin.Cut, demoLoose); err != nil {
		return err
	}
	if err := setUp(); err != nil {
		return errors.Join(err, world.Throw(standin.Mend, demoLoose))
	}
	loose := func(a v1.Alarm) bool { return a.Type == "link-down" && a.Followers > 0 }
	if err := actOnAlarm(ctx, bram, loose, v1.AlarmAct{Act: "acknowledge"}, v1.AlarmAct{Act: "note", Text: "The fibre at the slipway hangs out of its box. Coral goes over with the noon boat."}); err != nil {
		return err
	}
	if err := world.Throw(standin.Mend, demoLoose); err != nil {
		return err
	}
	return actOnAlarm(ctx, bram, func(a v1.Alarm) bool { return a.Type == "clock-behind" },
		v1.AlarmAct{Act: "acknowledge"}, v1.AlarmAct{Act: "note", Text: "It is to get the time server of the office, with the next change there."})
}

// signedInAs is one of the people of the demo.
func signedInAs(ctx context.Context, base, name string) (*client.Client, error) {
	c := &client.Client{Base: base}
	token, err := c.SignInToken(ctx, v1.TokenSignIn{SignIn: v1.SignIn{Name: name, Password: demoPassword}, TokenRequest: v1.TokenRequest{Label: "demo set-up", Days: 1}})
	c.Token = token.Secret
	return c, err
}

// actOnAlarm waits for an alarm and does something about it. On a machine that is too slow for it, nobody does.
func actOnAlarm(ctx context.Context, c *client.Client, is func(v1.Alarm) bool, acts ...v1.AlarmAct) error {
	wait, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	for {
		list, err := c.Alarms(ctx, client.AlarmQuery{})
		if err != nil {
			return err
		}
		for _, a := range list.Items {
			if !is(a) {
				continue
			}
			for _, act := range acts {
				if _, err := c.ActOnAlarm(ctx, a.Number, act); err != nil {
					return err
				}
			}
			return nil
		}
		select {
		case <-wait.Done():
			return ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
}
