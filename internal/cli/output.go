package cli

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"go.yaml.in/yaml/v3"
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
	switch a.format {
	case "json", "yaml":
		return a.data(v)
	case "csv":
		w := csv.NewWriter(a.out)
		_ = w.Write(header)
		_ = w.WriteAll(rows)
		return w.Error()
	}
	if len(rows) == 0 {
		a.say("%s", empty)
		return nil
	}
	a.table(header, rows)
	return nil
}

func (a *app) table(header []string, rows [][]string) {
	t := table.NewWriter()
	t.SetOutputMirror(a.out)
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
