// Package test drives the whole: stand-ins, service, HTTP interface, client, command line and browser, for real, on
// loopback.
package test
