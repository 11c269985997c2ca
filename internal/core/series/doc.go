// Package series is what becomes of readings over time: which metrics there are, how their values are packed, and how many
// of them are told as few.
//
// Values are integers in a metric's own fine unit (octets, tenths of a degree), so that packing loses nothing. A poll of a
// device is one row of a log; the log of a stretch of time is turned into one column for each series (Encode), and that
// into points of five minutes and of an hour (Roll). The package computes; where rows and columns are kept is not its
// business.
package series
