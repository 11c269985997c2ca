// Package network holds the nouns of the trade as values: sites, devices, ports, VLANs, links, what is configured and
// what is observed, and what makes one valid.
//
// It is the vocabulary that every other package shares. It computes; it must never do I/O, read a clock, start a
// goroutine or know a protocol.
package network
