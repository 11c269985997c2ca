package netconf

import (
	"bytes"
	"errors"
	"io"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestReadMessages(t *testing.T) {
	for name, tc := range map[string]struct {
		chunked bool
		in      string
		want    []string
		end     error
	}{
		"end of message":              {false, "<a/>]]>]]>\n<b/>]]>]]>", []string{"<a/>", "\n<b/>"}, io.EOF},
		"brackets inside":             {false, "<a>]]>]</a>]]>]]>", []string{"<a>]]>]</a>"}, io.EOF},
		"cut off":                     {false, "<a/>]]>", nil, io.ErrUnexpectedEOF},
		"nothing":                     {false, "", nil, io.EOF},
		"too large":                   {false, strings.Repeat("x", 200), nil, ErrMessageTooLarge},
		"one chunk":                   {true, "\n#4\n<a/>\n##\n", []string{"<a/>"}, io.EOF},
		"several chunks and messages": {true, "\n#2\n<a\n#2\n/>\n##\n\n#1\nx\n##\n", []string{"<a/>", "x"}, io.EOF},
		"chunk data like a header":    {true, "\n#4\n\n##\n\n##\n", []string{"\n##\n"}, io.EOF},
		"no chunk":                    {true, "\n##\n", nil, ErrFraming},
		"size zero":                   {true, "\n#0\n\n##\n", nil, ErrFraming},
		"leading zero":                {true, "\n#04\n<a/>\n##\n", nil, ErrFraming},
		"not a number":                {true, "\n#4x\n<a/>\n##\n", nil, ErrFraming},
		"endless number":              {true, "\n#" + strings.Repeat("9", 50), nil, ErrFraming},
		"over 32 bits":                {true, "\n#4294967296\n", nil, ErrFraming},
		"announced too large":         {true, "\n#4294967295\n<a/>", nil, ErrMessageTooLarge},
		"too large in pieces":         {true, strings.Repeat("\n#50\n"+strings.Repeat("x", 50), 3), nil, ErrMessageTooLarge},
		"cut off in a chunk":          {true, "\n#4\n<a", nil, io.ErrUnexpectedEOF},
		"cut off between chunks":      {true, "\n#4\n<a/>", nil, io.ErrUnexpectedEOF},
		"no line feed":                {true, "#4\n<a/>\n##\n", nil, ErrFraming},
	} {
		t.Run(name, func(t *testing.T) {
			for _, wrap := range []func(io.Reader) io.Reader{func(r io.Reader) io.Reader { return r }, iotest.OneByteReader} {
				f := NewFrameReader(wrap(strings.NewReader(tc.in)), 100)
				if tc.chunked {
					f.SetChunked()
				}
				for _, want := range tc.want {
					got, err := f.ReadMessage()
					require.NoError(t, err)
					assert.Equal(t, want, string(got))
				}
				_, err := f.ReadMessage()
				assert.ErrorIs(t, err, tc.end)
			}
		})
	}
}

func TestWriterRefuses(t *testing.T) {
	w := NewFrameWriter(io.Discard)
	assert.Error(t, w.WriteMessage(nil))
	assert.ErrorIs(t, w.WriteMessage([]byte("a]]>]]>b")), ErrFraming)
	w.SetChunked()
	assert.NoError(t, w.WriteMessage([]byte("a]]>]]>b")))
}

func TestWhatIsWrittenIsRead(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		chunked := rapid.Bool().Draw(t, "chunked")
		messages := rapid.SliceOfN(rapid.SliceOfN(rapid.Byte(), 1, 300), 1, 5).Draw(t, "messages")
		var buf bytes.Buffer
		w, r := NewFrameWriter(&buf), NewFrameReader(&buf, 0)
		if chunked {
			w.SetChunked()
			r.SetChunked()
		}
		for _, m := range messages {
			if err := w.WriteMessage(m); errors.Is(err, ErrFraming) {
				t.Skip("the mark is inside")
			}
		}
		for _, m := range messages {
			got, err := r.ReadMessage()
			require.NoError(t, err)
			assert.Equal(t, m, got)
		}
	})
}

func FuzzFrameReader(f *testing.F) {
	f.Add(true, []byte("\n#4\n<a/>\n##\n"))
	f.Add(false, []byte("<a/>]]>]]>"))
	f.Fuzz(func(t *testing.T, chunked bool, data []byte) {
		r := NewFrameReader(bytes.NewReader(data), 1<<16)
		if chunked {
			r.SetChunked()
		}
		for {
			m, err := r.ReadMessage()
			if err != nil {
				return
			}
			assert.LessOrEqual(t, len(m), 1<<16)
		}
	})
}
