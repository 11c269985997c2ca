// Package selector is the one small language by which devices, ports and everything else are picked by their
// properties: in the scope of the console, in --where, in roles and lists.
//
//	kind = switch and site in (tern-haven, oyster-landing)
//	port.up = false and port.poe.watts > 0
//	model ~ "H24*" or firmware < 4.2
//	gate camera
//
// A text is parsed once into an Expr, which is matched in memory (Match) or compiled to parameterised SQL (Compile); both
// give the same answer. What can be asked is data: a Language is a list of fields, each of a noun.
//
// Logic has two values. What is not known is the empty text, or a number that compares with nothing: then = < > are
// false and != is true, so that "not a = b" always means "a != b". An expression speaks of one device, one of its ports
// and so on: a device is picked when one of its ports makes the whole expression true.
//
// The package knows no device and no protocol: it must never do I/O or read a clock.
package selector
