package cli

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"go.yaml.in/yaml/v3"

	"example.net/everypost/internal/cli/safe"
)

var formats = []string{"table", "json", "yaml", "csv"}

func (a *app) checkFormat() error {
	if !slices.Contains(formats, a.format) {
		return usage("-o %s: the output can be table, json, yaml or csv", a.format)
	}
	return nil
}

// colour tells whether the output may be coloured.
func (a *app) colour() bool {
	return !a.noColor && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb" && isTerminal(a.out)
}

func (a *app) paint(c text.Color, s string) string {
	if !a.colour() {
		return s
	}
	return text.Colors{c}.Sprint(s)
}

// shape is a state of health with its shape and word.
func (a *app) shape(health string) string {
	if a.format == "csv" {
		return health
	}
	return a.mark(health) + " " + health
}

// when is a moment: how long ago for people, exact for programs.
func (a *app) when(t time.Time) string {
	if a.format == "csv" {
		return t.UTC().Format(time.RFC3339)
	}
	return ago(t)
}

// mark is the shape alone, coloured where colours are wanted; it is never told by colour alone.
func (a *app) mark(health string) string {
	switch health {
	case "well":
		return a.paint(text.FgGreen, "●")
	case "degraded":
		return a.paint(text.FgYellow, "◆")
	case "down":
		return a.paint(text.FgRed, "▼")
	case "off":
		return a.paint(text.FgHiBlack, "○")
	}
	return a.paint(text.FgMagenta, "◇")
}

// list prints rows under a header in the form that was asked for; v is the same as data.
func (a *app) list(v any, header []string, rows [][]string, empty string) error {
	if a.isData() {
		return a.data(v)
	}
	groups, header, rows, err := a.arrange(header, rows)
	if err != nil {
		return err
	}
	switch a.format {
	case "csv":
		w := csv.NewWriter(a.out)
		_ = w.Write(header)
		for _, r := range rows {
			_ = w.Write(each(r, safe.Cell))
		}
		w.Flush()
		return w.Error()
	}
	if len(rows) == 0 {
		a.say("%s", empty)
		return nil
	}
	var text strings.Builder
	if groups == nil {
		a.table(&text, header, rows)
	}
	for i, g := range groups {
		if i > 0 {
			text.WriteByte('\n')
		}
		fmt.Fprintf(&text, "%s (%d)\n", orNothing(g.name), len(g.rows))
		a.table(&text, header, g.rows)
	}
	return a.show(text.String())
}

func (a *app) table(to io.Writer, header []string, rows [][]string) {
	if width := a.width(); width > 0 && !a.wide {
		var left []string
		if header, rows, left = fitted(header, rows, width); len(left) > 0 {
			defer a.say("Too narrow for %s: --wide shows all, --columns chooses.", strings.Join(left, ", "))
		}
	}
	t := table.NewWriter()
	t.SetOutputMirror(to)
	style := table.StyleDefault
	style.Options = table.Options{SeparateColumns: false, SeparateHeader: true}
	style.Box = table.BoxStyle{MiddleHorizontal: "─", PaddingLeft: "", PaddingRight: "  ", MiddleSeparator: "─", Left: "", Right: "", MiddleVertical: ""}
	style.Format.Header = text.FormatDefault
	t.SetStyle(style)
	t.SuppressTrailingSpaces()
	t.AppendHeader(row(header))
	for _, r := range rows {
		t.AppendRow(row(r))
	}
	t.Render()
}

// each makes another list of a list of texts.
func each(in []string, f func(string) string) []string {
	out := make([]string, len(in))
	for i, s := range in {
		out[i] = f(s)
	}
	return out
}

func row(cells []string) table.Row {
	out := make(table.Row, len(cells))
	for i, c := range cells {
		out[i] = c
	}
	return out
}

// data prints v as JSON or YAML.
func (a *app) data(v any) error {
	b, err := json.MarshalIndent(v, "", "  ")
	if err != nil {
		return err
	}
	if a.format == "yaml" {
		if b, err = yamlOf(b); err != nil {
			return err
		}
		_, err = a.out.Write(b)
		return err
	}
	_, err = fmt.Fprintf(a.out, "%s\n", b)
	return err
}

// isData tells whether the output is for a program, so that nothing else may be printed.
func (a *app) isData() bool { return a.format == "json" || a.format == "yaml" }

// yamlOf writes JSON as YAML, in the same order.
func yamlOf(document []byte) ([]byte, error) {
	var n yaml.Node
	if err := yaml.Unmarshal(document, &n); err != nil { // JSON is YAML
		return nil, err
	}
	plainly(&n)
	var out bytes.Buffer
	e := yaml.NewEncoder(&out)
	e.SetIndent(2)
	e.CompactSeqIndent()
	err := e.Encode(&n)
	return out.Bytes(), err
}

// plainly takes from a tree how it was written.
func plainly(n *yaml.Node) {
	n.Style = 0
	for _, c := range n.Content {
		plainly(c)
	}
}

// jsonOf turns YAML that a person wrote into JSON. Below the keys that are named, every value is a text: vlan: 40 says "40".
func jsonOf(text []byte, texts ...string) ([]byte, error) {
	var n yaml.Node
	if err := yaml.Unmarshal(text, &n); err != nil {
		return nil, err
	}
	asTexts(&n, false, texts)
	var v any
	if err := n.Decode(&v); err != nil {
		return nil, err
	}
	return json.Marshal(v)
}

func asTexts(n *yaml.Node, below bool, texts []string) {
	if below && n.Kind == yaml.ScalarNode {
		n.Tag = "!!str"
	}
	for i, c := range n.Content {
		value := n.Kind == yaml.MappingNode && i%2 == 1
		asTexts(c, below && (value || n.Kind != yaml.MappingNode) || value && slices.Contains(texts, n.Content[i-1].Value), texts)
	}
}
