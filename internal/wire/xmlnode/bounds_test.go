package xmlnode

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// crowded is a document of a size in which every element is looked up among as many bindings as a device could declare.
func crowded(size int) string {
	var b strings.Builder
	b.WriteString("<r")
	for i := 0; b.Len() < size/2; i++ {
		fmt.Fprintf(&b, ` xmlns:p%d="u%d"`, i, i)
	}
	b.WriteString(">")
	for b.Len() < size {
		b.WriteString("<p0:a/>")
	}
	return b.String() + "</r>"
}

// nested is one in which each element declares more.
func nested(size int) string {
	var b strings.Builder
	for i := range MaxDepth - 1 {
		fmt.Fprintf(&b, "<a")
		for k := range 100 {
			fmt.Fprintf(&b, ` xmlns:p%d_%d="u"`, i, k)
		}
		b.WriteString(">")
	}
	for b.Len() < size {
		b.WriteString("<p0_0:a/>")
	}
	return b.String() + strings.Repeat("</a>", MaxDepth-1)
}

// A device that declares names without end costs no more than one that says as much in plain elements: measured beside it.
func TestHostileDocumentsCostNoMoreThanPlainOnes(t *testing.T) {
	const size = 3 << 20
	took := func(document string) time.Duration {
		best := time.Hour
		for range 3 {
			at := time.Now()
			_, _ = Parse(t.Context(), []byte(document))
			best = min(best, time.Since(at))
		}
		return best
	}
	plain := took("<r>" + strings.Repeat("<a>1</a>", size/8) + "</r>")
	attrs := "<r" + strings.Repeat(` a="1"`, size/6) + "/>"
	for name, document := range map[string]string{"bindings": crowded(size), "bindings by depth": nested(size), "attributes": attrs} {
		assert.Less(t, took(document), 10*plain, "%s: a plain document of the size took %s", name, plain)
		_, err := Parse(t.Context(), []byte(document))
		require.ErrorIs(t, err, ErrTooComplex, name)
	}
}

func TestADocumentWithTooManyElementsIsRefused(t *testing.T) {
	_, err := Parse(t.Context(), []byte("<r>"+strings.Repeat("<a/>", MaxNodes)+"</r>"))
	require.ErrorIs(t, err, ErrTooComplex)
}

func TestWithinTheBoundsNamesAreFound(t *testing.T) {
	var b strings.Builder
	for i := range MaxBindings - 1 {
		fmt.Fprintf(&b, ` xmlns:p%d="u%d"`, i, i)
		if i == 99 {
			b.WriteString("><b") // attributes are bounded too: go on in the next element
		}
		if i == 199 {
			b.WriteString("><c")
		}
	}
	n, err := Parse(t.Context(), []byte("<a"+b.String()+"><p7:x/></c></b></a>"))
	require.NoError(t, err)
	assert.Equal(t, "u7", n.Find("b/c/x").Space)
}

func TestParsingEndsWithItsContext(t *testing.T) {
	ctx, cancel := context.WithCancelCause(t.Context())
	why := errors.New("nobody waits for it")
	cancel(why)
	_, err := Parse(ctx, []byte("<a/>"))
	require.ErrorIs(t, err, why)
	_, err = Parse(&endsLater{Context: t.Context(), after: 3}, []byte("<r>"+strings.Repeat("<a/>", MaxNodes-1)+"</r>"))
	require.ErrorContains(t, err, "parse xml", "in the middle")
}

// endsLater is a context that ends when it was looked at a few times.
type endsLater struct {
	context.Context
	after int
}

func (c *endsLater) Err() error {
	if c.after--; c.after < 0 {
		return context.Canceled
	}
	return nil
}

func (c *endsLater) Value(any) any { return nil }
