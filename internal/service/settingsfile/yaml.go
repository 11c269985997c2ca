package settingsfile

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

// Bounds of a file that is read. Up to them, reading takes time and memory in proportion to the file: at most some seconds,
// and some 200 octets a value.
const (
	MaxSize   = 8 << 20 // octets
	MaxValues = 500_000
)

// reading bounds how many files are read at once, so that many large ones do not take all the memory.
var reading = make(chan struct{}, 2)

// parse reads a file into its tree. What it refuses it refuses before the tree is as large as the bounds: a file that is too
// large, holds too many values, goes too deep (which the library bounds) or refers to parts of itself, by which a small one could
// become a very large one. It ends with the context.
func parse(ctx context.Context, text []byte) (*yaml.Node, error) {
	if len(text) > MaxSize {
		return nil, fmt.Errorf("the file has more than %d MiB: cut it into several", MaxSize>>20)
	}
	select {
	case reading <- struct{}{}:
		defer func() { <-reading }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	d := yaml.NewDecoder(&bounded{ctx: ctx, rest: bytes.NewReader(text)})
	var out, more yaml.Node
	if err := d.Decode(&out); ctx.Err() != nil {
		return nil, ctx.Err()
	} else if err != nil && !errors.Is(err, io.EOF) {
		return nil, readable(err)
	}
	if err := d.Decode(&more); err == nil {
		return nil, fmt.Errorf("line %d: the file holds more than one document: keep one", more.Line)
	} else if !errors.Is(err, io.EOF) {
		return nil, readable(err)
	}
	if line := refersToItself(&out); line > 0 {
		return nil, fmt.Errorf("line %d: anchors and aliases are not taken: write it out", line)
	}
	return &out, ctx.Err()
}

// bounded hands a file on as long as somebody waits for it and it does not hold too much. Each value but the first has one of
// the characters before it that are counted.
type bounded struct {
	ctx    context.Context
	rest   *bytes.Reader
	values int
}

func (b *bounded) Read(p []byte) (int, error) {
	if err := b.ctx.Err(); err != nil {
		return 0, err
	}
	n, err := b.rest.Read(p)
	for _, c := range p[:n] {
		switch c {
		case '\n', '\r', ',', '[', '{', '?':
			b.values++
		}
	}
	if b.values > MaxValues {
		return 0, fmt.Errorf("the file has more than %d lines and values: cut it into several", MaxValues)
	}
	return n, err
}

// refersToItself returns the line of the first anchor, alias or merged mapping, or 0.
func refersToItself(n *yaml.Node) int {
	if n.Kind == yaml.AliasNode || n.Anchor != "" || n.Kind == yaml.ScalarNode && n.Tag == "!!merge" {
		return n.Line
	}
	for _, c := range n.Content {
		if line := refersToItself(c); line > 0 {
			return line
		}
	}
	return 0
}

// readable is an error of the YAML library as a sentence of ours.
func readable(err error) error {
	return errors.New(strings.TrimPrefix(strings.TrimPrefix(err.Error(), "yaml: "), "input error: "))
}

// empty tells whether nothing is said.
func empty(n *yaml.Node) bool {
	return n == nil || n.Kind == 0 || n.Kind == yaml.ScalarNode && n.ShortTag() == "!!null"
}

func mapping() *yaml.Node { return &yaml.Node{Kind: yaml.MappingNode} }

func put(to *yaml.Node, key string, v *yaml.Node) {
	name := &yaml.Node{Kind: yaml.ScalarNode, Value: key} // keys are told apart by their text, whatever type YAML sees in them
	to.Content = append(to.Content, name, v)
}

// scalarNode is a value as it is written.
func scalarNode(v any) *yaml.Node {
	n := &yaml.Node{}
	_ = n.Encode(v) // texts, numbers, truths and lists of texts can be encoded
	return n
}

// sameValues tells whether two trees say the same, comments aside.
func sameValues(a, b *yaml.Node) bool {
	return a.Kind == b.Kind && a.Value == b.Value && slices.EqualFunc(a.Content, b.Content, sameValues)
}

// takeComments gives a tree the comments of one that says much the same.
func takeComments(to, from *yaml.Node) {
	to.HeadComment, to.LineComment, to.FootComment = from.HeadComment, from.LineComment, from.FootComment
	if to.Kind != from.Kind {
		return
	}
	switch to.Kind {
	case yaml.DocumentNode:
		for i := range min(len(to.Content), len(from.Content)) {
			takeComments(to.Content[i], from.Content[i])
		}
	case yaml.MappingNode:
		at := make(map[string]int, len(from.Content)/2)
		for i := 0; i+1 < len(from.Content); i += 2 {
			at[from.Content[i].Value] = i
		}
		for i := 0; i+1 < len(to.Content); i += 2 {
			if k, ok := at[to.Content[i].Value]; ok {
				key, v := to.Content[i], to.Content[i+1]
				takeComments(key, from.Content[k])
				takeComments(v, from.Content[k+1])
				if v.Kind != yaml.ScalarNode && v.LineComment != "" { // behind what is now several lines it would break them
					key.HeadComment = strings.TrimPrefix(key.HeadComment+"\n"+v.LineComment, "\n")
					v.LineComment = ""
				}
			}
		}
	case yaml.SequenceNode:
		by := make(map[string]*yaml.Node, len(from.Content)) // an item is known again by its text, wherever it stands now
		for _, item := range from.Content {
			by[item.Value] = item
		}
		for _, item := range to.Content {
			if old := by[item.Value]; old != nil {
				takeComments(item, old)
			}
		}
	}
}
