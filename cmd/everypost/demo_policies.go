package main

import (
	"context"
	"time"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// demoPromises are what the company counts on.
var demoPromises = map[string]v1.PromiseRequest{
	"counters-sell": {Title: "Ticket counters sell", From: "client.vlan = 40", To: "10.1.20.30", Protocol: "tcp", Port: 443},
	"cameras-kept":  {Title: "What cameras see is kept", From: "client.vlan = 50 and site = tern-haven", To: "10.1.50.10", Protocol: "tcp", Port: 554},
	"guests-apart":  {Title: "Passengers reach no desk", Never: true, From: "client.vlan = 80 and site = tern-haven", To: "client.vlan = 20 and site = tern-haven", Protocol: "tcp", Port: 445},
}

// promised are the end stations that must have been seen before promises are made: else they would pick nobody.
const promised = "client.vlan in (20, 40, 50, 80) and site = tern-haven"

// furnishPromises makes the promises, and leaves a draft behind that would break one.
func furnishPromises(ctx context.Context, c *client.Client) error {
	wait, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	for {
		seen, err := c.Clients(ctx, client.Query{Where: promised, Limit: 1, Count: "client.vlan"})
		if err != nil {
			return err
		}
		if len(seen.Counts["client.vlan"]) == 4 || wait.Err() != nil {
			break
		}
		select {
		case <-time.After(200 * time.Millisecond):
		case <-wait.Done():
		}
	}
	for name, p := range demoPromises {
		if _, err := c.PutPromise(ctx, name, p); err != nil {
			return err
		}
	}
	edda, err := signedInAs(ctx, c.Base, "edda")
	if err != nil {
		return err
	}
	draft, err := edda.MakeChange(ctx, v1.ChangeRequest{Why: "a printer for passengers", Edits: []v1.Edit{
		{Port: "th-fw-01:policy/main", Field: "rules/55", Value: `allow from guests to office destination desks service file-sharing note "the printer of the ticket office"`},
	}})
	if err != nil {
		return err
	}
	_, err = edda.Check(ctx, draft.Number)
	return err
}
