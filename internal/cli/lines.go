package cli

import (
	"bytes"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/pflag"
)

// lineChoice says which lines of an output are shown. It is the same for all commands, and for the console.
type lineChoice struct {
	with, without, from string
	around              int
	count               bool
}

func (n *lineChoice) add(f *pflag.FlagSet) {
	f.StringVar(&n.with, "with", "", "only lines in which this text stands, large or small letters alike")
	f.StringVar(&n.without, "without", "", "leave out lines in which this text stands")
	f.StringVar(&n.from, "from-line", "", "begin at the first line in which this text stands")
	f.IntVar(&n.around, "around", 0, "with --with: so many lines before and after besides")
	f.BoolVar(&n.count, "count-lines", false, "only the number of the lines")
}

func (n lineChoice) wanted() bool { return n != (lineChoice{}) }

// lineSieve passes on the lines that are wanted as they come. The head of a table stays.
type lineSieve struct {
	lineChoice
	out  io.Writer
	rest []byte // of a line that is not over

	lines   int      // that came
	head    string   // the first line, until it is known whether it is the head of a table
	begun   bool     // the line at which it begins was met
	before  []string // the last lines that were not shown
	after   int      // how many more are shown
	skipped bool     // there is a gap since the last that was shown
	shown   int
}

func sieve(out io.Writer, n lineChoice) *lineSieve {
	return &lineSieve{lineChoice: n, out: out, begun: n.from == ""}
}

// Write implements io.Writer.
func (n *lineSieve) Write(p []byte) (int, error) {
	n.rest = append(n.rest, p...)
	for {
		i := bytes.IndexByte(n.rest, '\n')
		if i < 0 {
			return len(p), nil
		}
		line := string(n.rest[:i])
		n.rest = n.rest[i+1:]
		if err := n.take(line); err != nil {
			return 0, err
		}
	}
}

// Close passes on what is left.
func (n *lineSieve) Close() error {
	if len(n.rest) > 0 {
		line := string(n.rest)
		n.rest = nil
		if err := n.take(line); err != nil {
			return err
		}
	}
	if n.lines == 1 {
		if err := n.pass(n.head); err != nil {
			return err
		}
	}
	if n.count {
		_, err := fmt.Fprintln(n.out, n.shown)
		return err
	}
	return nil
}

func (n *lineSieve) take(line string) error {
	switch n.lines++; n.lines {
	case 1:
		n.head = line
		return nil
	case 2:
		if line != "" && strings.Trim(line, "─") == "" { // a table
			if n.count {
				return nil
			}
			_, err := fmt.Fprintf(n.out, "%s\n%s\n", n.head, line)
			return err
		}
		if err := n.pass(n.head); err != nil {
			return err
		}
	}
	return n.pass(line)
}

// holds tells whether a text stands in a line.
func holds(line, text string) bool {
	return strings.Contains(strings.ToLower(line), strings.ToLower(text))
}

func (n *lineSieve) pass(line string) error {
	n.begun = n.begun || holds(line, n.from)
	switch {
	case !n.begun, n.without != "" && holds(line, n.without):
		return nil
	case n.with != "" && holds(line, n.with):
		if n.skipped && n.shown > 0 && n.around > 0 && !n.count {
			if _, err := fmt.Fprintln(n.out, "…"); err != nil {
				return err
			}
		}
		for _, l := range n.before {
			if err := n.show(l, false); err != nil {
				return err
			}
		}
		n.before, n.skipped, n.after = nil, false, n.around
		return n.show(line, true)
	case n.with != "" && n.after > 0:
		n.after--
		return n.show(line, false)
	case n.with != "":
		if n.before = append(n.before, line); len(n.before) > n.around {
			n.before, n.skipped = n.before[1:], true
		}
		return nil
	}
	return n.show(line, true)
}

// show shows a line; counted are those that match, not those around them.
func (n *lineSieve) show(line string, matches bool) error {
	if matches {
		n.shown++
	}
	if n.count {
		return nil
	}
	_, err := fmt.Fprintln(n.out, line)
	return err
}
