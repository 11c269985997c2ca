package settingsfile

import (
	"context"
	"fmt"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/testing/race"
)

const head = "everypost: settings/1\ndevices:\n  x: "

// hostile are files that cost much more than their size where a parser follows them without bounds.
func hostile(size int) map[string]string {
	repeat := func(s string) string { return strings.Repeat(s, size/len(s)) }
	keys := strings.Builder{}
	for i := 0; keys.Len() < size; i++ {
		fmt.Fprintf(&keys, "    k%d: 1\n", i)
	}
	deep := strings.Builder{}
	for i := 2; deep.Len() < size; i++ {
		deep.WriteString(strings.Repeat(" ", i) + "a:\n")
	}
	return map[string]string{
		"alias, list, quote": head + repeat(`*["`),
		"lists in lists":     head + repeat("["),
		"maps in lists":      head + repeat("[{a: "),
		"keys that ask":      head + repeat("? "),
		"dashes":             head + "\n" + repeat("- "),
		"tags":               head + repeat("!a "),
		"anchors":            head + repeat("&a "),
		"many keys":          head + "\n" + keys.String(),
		"deep":               "everypost: settings/1\ndevices:\n" + deep.String(),
		"comments":           head + "7\n" + repeat("# x\n"),
		"flat list":          head + "[" + repeat("1,") + "]",
		"documents":          head + "{}\n" + repeat("---\n"),
		"an open quote":      head + `"` + repeat("x\n"),
		"colons":             head + repeat("a: "),
	}
}

// What a file costs grows with its size and not faster: memory stays within a multiple of it, whatever stands in it.
func TestAHostileFileCostsNoMoreThanItsSize(t *testing.T) {
	size := race.Fewer(1<<20, 1<<17)
	for name, text := range hostile(size) {
		for door, read := range map[string]func() error{
			"read": func() error { _, _, err := Read(t.Context(), []byte(text)); return err },
			"written over": func() error {
				_, err := Write(t.Context(), map[string]network.Config{"sw": aSwitch()}, []byte(text))
				return err
			},
		} {
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			err := read()
			runtime.ReadMemStats(&after)
			took := int(after.TotalAlloc - before.TotalAlloc)
			assert.Less(t, took, 400*size, "%s, %s: it was answered with %v", name, door, err)
			if door == "read" {
				require.Error(t, err, name)
				assert.Less(t, len(err.Error()), 64<<10, "%s: an error is for people to read", name)
			}
		}
	}
}

func TestAFileWithTooManyValuesIsRefusedEarly(t *testing.T) {
	_, _, err := Read(t.Context(), []byte("everypost: settings/1\ndevices: ["+strings.Repeat("1,", MaxValues+10)+"]"))
	require.ErrorContains(t, err, "more than 500000 lines and values")
}

func TestReadingEndsWithTheRequest(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, _, err := Read(ctx, []byte(sample))
	require.ErrorIs(t, err, context.Canceled)

	// in the middle of a large one
	text := []byte(head + "\n" + strings.Repeat("    a: 1\n", 400_000))
	ctx, cancel = context.WithCancel(t.Context())
	b := &bounded{ctx: ctx}
	cancel()
	_, err = b.Read(make([]byte, 10))
	require.ErrorIs(t, err, context.Canceled)
	ctx, cancel = context.WithTimeout(t.Context(), time.Millisecond)
	defer cancel()
	_, _, err = Read(ctx, text)
	require.ErrorIs(t, err, context.DeadlineExceeded)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(sample))
	for _, text := range hostile(200) {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		entries, _, err := Read(t.Context(), text)
		if err == nil && entries == nil && len(text) == 0 {
			t.Fatal("an empty file is no file")
		}
		written, err := Write(t.Context(), map[string]network.Config{"sw": aSwitch()}, text)
		if err != nil {
			return
		}
		if _, _, err := Read(t.Context(), written); err != nil {
			t.Fatalf("what was written over it cannot be read again: %v\n%s", err, written)
		}
	})
}
