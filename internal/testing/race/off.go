//go:build !race

package race

// On tells whether the race detector watches.
const On = false
