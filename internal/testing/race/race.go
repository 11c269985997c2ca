// Package race tells tests whether the race detector watches them. It is not part of the product.
package race

// Fewer is how many of something a test tries: all, or few where the race detector makes each many times as dear. What is left out there is tried
// without it (tools/test.sh).
func Fewer(all, few int) int {
	if On {
		return few
	}
	return all
}
