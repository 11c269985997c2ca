// Package standin simulates devices in one small world: cabling, VLANs, power and traffic that follow from what is
// configured, and for each device an agent that speaks NETCONF over SSH on a loopback address of its own.
//
// It stands in for real devices in the demo, in tests and in rehearsals. It shares the wire protocols with the service
// and nothing else: in particular it has its own idea of configuration trees and of how VLANs travel, so that a mistake
// in the service meets something that does not share it. Faults are thrown through Control, never by the service.
//
// The parts: schema and datastore (a generic configuration tree), plant (which devices and cables there are), world
// (what follows from them), agent (what a device answers), gate (being out of reach), control (faults).
package standin
