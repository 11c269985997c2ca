package xmlnode

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// parseByTheBook builds the same tree with the standard library's decoder: the yardstick.
func parseByTheBook(data []byte) (*Node, error) {
	dec := xml.NewDecoder(bytes.NewReader(data))
	var root *Node
	var stack []*Node
	for {
		tok, err := dec.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		switch t := tok.(type) {
		case xml.StartElement:
			n := &Node{Space: t.Name.Space, Name: t.Name.Local}
			for _, a := range t.Attr {
				if a.Name != (xml.Name{Local: "xmlns"}) {
					n.Attrs = append(n.Attrs, Attr{Space: a.Name.Space, Name: a.Name.Local, Value: a.Value})
				}
			}
			switch {
			case len(stack) > 0:
				stack[len(stack)-1].Add(n)
			case root != nil:
				return nil, errors.New("more than one root")
			default:
				root = n
			}
			stack = append(stack, n)
		case xml.EndElement:
			n := stack[len(stack)-1]
			n.Text = strings.TrimSpace(n.Text)
			stack = stack[:len(stack)-1]
		case xml.CharData:
			if len(stack) > 0 {
				stack[len(stack)-1].Text += string(t)
			} else if len(bytes.TrimSpace(t)) > 0 {
				return nil, errors.New("text outside")
			}
		case xml.Directive:
			return nil, errors.New("a directive")
		}
	}
	if root == nil {
		return nil, errors.New("nothing")
	}
	return root, nil
}

func TestParseReadsAllFormsOfText(t *testing.T) {
	for doc, want := range map[string]string{
		`<a>  one two </a>`:                                             "one two",
		"<a>\r\none\rtwo\r\n</a>":                                       "one\ntwo",
		`<a>&lt;&amp;&gt;&quot;&apos;</a>`:                              `<&>"'`,
		`<a>&#233;&#xe9;&#x1F6A2;</a>`:                                  "éé🚢",
		`<a>x<![CDATA[<b>&amp;]]]]>y</a>`:                               "x<b>&amp;]]y",
		`<a>one<!-- not - this -->two<?nor this?></a>`:                  "onetwo",
		`<a>ferry é</a >`:                                               "ferry é",
		`<?xml version="1.0" encoding='UTF-8'?><a>x</a> <!-- after -->`: "x",
	} {
		n, err := Parse(context.Background(), []byte(doc))
		if assert.NoError(t, err, doc) {
			assert.Equal(t, want, n.Text, doc)
		}
	}
}

func TestPrefixesHoldWhereTheyAreDeclared(t *testing.T) {
	n, err := Parse(context.Background(), []byte(`<p:a xmlns:p="urn:1" xml:lang="en"><p:b xmlns:p="urn:2" p:x='1'/><p:c/><d xmlns="urn:3"><e xmlns=""/></d></p:a>`))
	require.NoError(t, err)
	assert.Equal(t, "urn:1", n.Space)
	assert.Equal(t, "en", n.Attr(xmlNS, "lang"))
	assert.Equal(t, "urn:2", n.Child("b").Space)
	assert.Equal(t, "1", n.Child("b").Attr("urn:2", "x"))
	assert.Equal(t, "urn:1", n.Child("c").Space)
	assert.Empty(t, n.Find("d/e").Space)
}

func TestParseSaysWhereAndWhy(t *testing.T) {
	for doc, want := range map[string]string{
		`<a>&nope;</a>`:             "parse xml: unknown reference &nope; at byte 3",
		`<a>& b</a>`:                "parse xml: & without a reference at byte 3",
		`<a>&#0;</a>`:               "parse xml: unknown reference &#0; at byte 3",
		`<a>]]></a>`:                "parse xml: ]]> in text at byte 5",
		"<a>\x01</a>":               "parse xml: a control character at byte 3",
		"<a>\xff</a>":               "parse xml: a character that is not allowed at byte 3",
		`<a><b></a>`:                "parse xml: expected </b> at byte 8",
		`<a`:                        "parse xml: the document ends in a tag at byte 2",
		`<a x=1/>`:                  "parse xml: the value of attribute x is not quoted at byte 5",
		`<a x="<"/>`:                "parse xml: < in an attribute at byte 6",
		`<a x="1"y="2"/>`:           "parse xml: no space before an attribute at byte 8",
		`<p:a/>`:                    "parse xml: prefix p is not declared at byte 6",
		`<a><!-- -- --></a>`:        "parse xml: a comment that is not closed, or has -- in it at byte 3",
		`<a><![CDATA[</a>`:          "parse xml: CDATA is not closed at byte 12",
		`<?xml version="1.1"?><a/>`: "parse xml: the declaration is not that of XML 1.0 in UTF-8 at the start at byte 6",
		`<?xml version="1.0" encoding="latin1"?><a/>`: "parse xml: the declaration is not that of XML 1.0 in UTF-8 at the start at byte 6",
		`</a>`:  "parse xml: an end tag outside of any element at byte 0",
		` `:     "parse xml: empty document at byte 1",
		`<a/>x`: "parse xml: text outside the root element at byte 4",
	} {
		_, err := Parse(context.Background(), []byte(doc))
		assert.EqualError(t, err, want, doc)
	}
}

// Documents of all forms that are allowed are read as the standard library reads them.
func TestParseAgreesWithTheStandardLibrary(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		doc := "<r xmlns='urn:r' xmlns:p='urn:p'>" + strings.Join(rapid.SliceOf(rapid.SampledFrom([]string{
			"<a>", "</a>", "<p:b x='1' p:y=\"&lt;2\r\n\">", "</p:b>", "<c xmlns:p='urn:q'/>", "text ", "é", "&#x41;", "&amp;", "]", ">", "\r", "\n", " ",
			"<!-- c -->", "<?pi x?>", "<![CDATA[ ]] <a> ]]>", "<p:d xmlns='urn:d'/>",
		})).Draw(t, "pieces"), "") + "</r>"
		want, wantErr := parseByTheBook([]byte(doc))
		got, err := Parse(context.Background(), []byte(doc))
		require.Equal(t, wantErr == nil, err == nil, "%q: %v, %v", doc, wantErr, err)
		require.True(t, err != nil || Equal(want, got), "%q", doc)
	})
}

// Whatever is read is read as the standard library reads it; this parser may only be stricter.
func FuzzParseAgainstTheStandardLibrary(f *testing.F) {
	f.Add([]byte(`<?xml version="1.0" encoding="UTF-8"?><a xmlns="urn:a" xmlns:p='urn:p'><p:b x="1">t&amp;<![CDATA[c]]></p:b><!--c--></a>`))
	f.Add([]byte("<a>\r\n]]&#62;</a>"))
	f.Fuzz(func(t *testing.T, data []byte) {
		got, err := Parse(context.Background(), data)
		if err != nil {
			return
		}
		want, err := parseByTheBook(data)
		require.NoError(t, err)
		require.True(t, Equal(want, got), "%s\n%s", want.Bytes(), got.Bytes())
	})
}

func BenchmarkParse(b *testing.B) {
	doc := New("urn:i", "interfaces")
	for range 48 {
		doc.Add(New("urn:i", "interface", Leaf("urn:i", "name", "1/1/7"), New("urn:i", "state", Leaf("urn:i", "oper-status", "UP"),
			New("urn:i", "counters", Leaf("urn:i", "in-octets", "18446744073709"), Leaf("urn:i", "out-octets", "12345678"), Leaf("urn:i", "in-errors", "0")))))
	}
	data := doc.Bytes()
	for name, parse := range map[string]func([]byte) (*Node, error){"own": func(b []byte) (*Node, error) { return Parse(context.Background(), b) }, "standard": parseByTheBook} {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(data)))
			b.ReportAllocs()
			for b.Loop() {
				_, _ = parse(data)
			}
		})
	}
}
