//go:build !race

package store

const batches = 100
