package cli

import (
	"io"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
)

// group is the rows of a list that have the same value in a column.
type group struct {
	name string
	rows [][]string
}

// arrange leaves the columns that were chosen, in their order, and puts rows into groups where that was asked for.
func (a *app) arrange(header []string, rows [][]string) ([]group, []string, [][]string, error) {
	find := func(name string) (int, error) {
		if at := slices.IndexFunc(header, func(h string) bool { return strings.EqualFold(h, strings.TrimSpace(name)) }); at >= 0 {
			return at, nil
		}
		return 0, usage("there is no column %q: there are %s", name, strings.Join(header, ", "))
	}
	var keys []string
	if a.groupBy != "" {
		at, err := find(a.groupBy)
		if err != nil {
			return nil, nil, nil, err
		}
		for _, r := range rows {
			keys = append(keys, r[at])
		}
	}
	if len(a.columns) > 0 {
		var order []int
		for _, name := range a.columns {
			at, err := find(name)
			if err != nil {
				return nil, nil, nil, err
			}
			order = append(order, at)
		}
		pick := func(from []string) []string {
			out := make([]string, len(order))
			for i, at := range order {
				out[i] = from[at]
			}
			return out
		}
		chosen := make([][]string, len(rows))
		for i, r := range rows {
			chosen[i] = pick(r)
		}
		header, rows = pick(header), chosen
	}
	var groups []group
	if keys != nil && a.format == "table" {
		at := map[string]int{}
		for i, r := range rows {
			k, known := at[keys[i]]
			if !known {
				k = len(groups)
				at[keys[i]], groups = k, append(groups, group{name: keys[i]})
			}
			groups[k].rows = append(groups[k].rows, r)
		}
	}
	return groups, header, rows, nil
}

// width is that of the terminal in characters; 0 where the output is none.
func (a *app) width() int {
	if n, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && n > 0 {
		return n
	}
	if f, ok := a.out.(*os.File); ok {
		if w, _, err := term.GetSize(int(f.Fd())); err == nil {
			return w
		}
	}
	return 0
}

const (
	between  = 2  // characters between columns
	narrowed = 14 // to which a column is cut before one is left out
)

// fitted cuts a list to a width: the widest columns first, with an ellipsis; where that is not enough, the last columns are left
// out, which lists put there because they matter least.
func fitted(header []string, rows [][]string, width int) (fitHeader []string, fitRows [][]string, left []string) {
	natural := make([]int, len(header))
	for i, h := range header {
		natural[i] = text.StringWidthWithoutEscSequences(h)
		for _, r := range rows {
			natural[i] = max(natural[i], text.StringWidthWithoutEscSequences(r[i]))
		}
	}
	n := len(header)
	widths := slices.Clone(natural)
	for ; n > 1; n-- {
		copy(widths, natural)
		if narrow(widths[:n], width) {
			break
		}
	}
	cut := func(r []string) []string {
		out := make([]string, n)
		for i := range n {
			if out[i] = r[i]; widths[i] < natural[i] {
				out[i] = text.Snip(r[i], widths[i], "…")
			}
		}
		return out
	}
	fitRows = make([][]string, len(rows))
	for i, r := range rows {
		fitRows[i] = cut(r)
	}
	return cut(header), fitRows, header[n:]
}

// narrow takes the widths of columns down until they fit, and tells whether they do.
func narrow(widths []int, width int) bool {
	total := between * len(widths) // the last one has room behind it too
	for _, w := range widths {
		total += w
	}
	for total > width {
		widest := 0
		for i, w := range widths {
			if w > widths[widest] {
				widest = i
			}
		}
		if widths[widest] <= narrowed {
			return false
		}
		widths[widest]--
		total--
	}
	return true
}

// show prints a text, by a pager where a person sees it and it is longer than the screen.
func (a *app) show(what string) error {
	out, ok := a.out.(*os.File)
	if ok && isTerminal(out) && isTerminal(a.in) {
		_, height, err := term.GetSize(int(out.Fd()))
		if err == nil && strings.Count(what, "\n") >= height && a.paged(what, out) {
			return nil
		}
	}
	_, err := io.WriteString(a.out, what)
	return err
}

// paged has a pager show a text, and tells whether there was one: PAGER, or less.
func (a *app) paged(what string, out *os.File) bool {
	words := strings.Fields(os.Getenv("PAGER"))
	if len(words) == 0 {
		words = []string{"less", "-FRX"}
	}
	if words[0] == "cat" {
		return false
	}
	path, err := exec.LookPath(words[0])
	if err != nil {
		return false
	}
	cmd := exec.Command(path, words[1:]...)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = strings.NewReader(what), out, a.err
	return cmd.Run() == nil
}
