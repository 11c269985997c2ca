//go:build race

package store

// With the race detector SQLite, which is all Go here, is some sixty times slower: a sample is drawn.
const batches = 2
