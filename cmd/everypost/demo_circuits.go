package main

import (
	"context"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// demoCircuits are the lines of the company's providers.
var demoCircuits = []v1.CircuitRequest{
	{Device: "hh-edge-01", Port: "wan1", Provider: "Sound Telecom", Kind: "fibre", Contract: "ST-1001", DownMbps: 1000, UpMbps: 1000},
	{Device: "hh-edge-02", Port: "wan1", Provider: "Lantern Harbour Light", Kind: "fibre", Contract: "LHL-77", DownMbps: 1000, UpMbps: 1000},
	{Device: "th-edge-01", Port: "wan1", Provider: "Sound Telecom", Kind: "fibre", Contract: "ST-1004", DownMbps: 300, UpMbps: 300},
	{Device: "th-edge-01", Port: "cell0", Provider: "Skylark Mobile", Kind: "cellular", Contract: "SM-20441", DownMbps: 100, UpMbps: 30, CapGB: 200, Notes: "Standby: the fibre comes over the same pole as the power."},
	{Device: "gs-edge-01", Port: "wan1", Provider: "Saltmarsh Fibre", Kind: "fibre", Contract: "SF-4490", DownMbps: 200, UpMbps: 200, HandedAt: "th-sw-01:2/1/47", Notes: "Handed over at Tern Haven, and carried over the radio link."},
	{Device: "gs-edge-01", Port: "cell0", Provider: "Skylark Mobile", Kind: "cellular", Contract: "SM-20442", DownMbps: 60, UpMbps: 20, CapGB: 1500},
	{Device: "kb-edge-01", Port: "wan1", Provider: "Sound Telecom", Kind: "fibre", Contract: "ST-1011", DownMbps: 200, UpMbps: 200},
	{Device: "fu-edge-01", Port: "wan1", Provider: "High Tern Satellite", Kind: "satellite", Contract: "HT-3", DownMbps: 20, UpMbps: 4, CapGB: 400, Notes: "Beyond the point only."},
}

// demoLicences are the rights of the radio link to the skerry to send.
var demoLicences = map[string]v1.RadioLicence{
	"th-rl-01": {Number: "SH-4471", Authority: "Sound Harbour Board", TxMHz: 18_305, WidthMHz: 110, Polarization: "vertical", Ends: "2029-03-31"},
	"gs-rl-01": {Number: "SH-4472", Authority: "Sound Harbour Board", TxMHz: 19_315, WidthMHz: 110, Polarization: "vertical", Ends: "2029-03-31"},
}

// furnishCircuits says what the lines are, where there are such ports, and by what right the radios send.
func furnishCircuits(ctx context.Context, c *client.Client) error {
	for _, one := range demoCircuits {
		if _, err := c.PutCircuit(ctx, one); err != nil {
			return err
		}
	}
	for device, one := range demoLicences {
		if _, err := c.PutRadioLicence(ctx, device, one); err != nil {
			return err
		}
	}
	return nil
}
