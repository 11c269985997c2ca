package cli

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	"example.net/everypost/internal/cli/safe"
)

func (a *app) configurationCommand() *cobra.Command {
	var defaults bool
	var section, find string
	around := 3
	cmd := &cobra.Command{
		Use: "configuration DEVICE", Short: "Print what a device runs, in its own form", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Example: "  everypost device configuration th-sw-02 --section interfaces --find 1/1/7\n  everypost device configuration th-sw-02 --defaults > th-sw-02.xml",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			text, err := c.Configuration(ctx, args[0], defaults)
			if err != nil {
				return err
			}
			if isTerminal(a.out) {
				text = safe.Lines(text)
			}
			lines := strings.Split(strings.TrimRight(text, "\n"), "\n")
			if section != "" {
				if lines = sectionOf(lines, section); len(lines) == 0 {
					return usage("%s runs no section %q: there are %s", args[0], section, strings.Join(sections(text), ", "))
				}
			}
			if find == "" {
				_, err = fmt.Fprintln(a.out, strings.Join(lines, "\n"))
				return err
			}
			if !a.printFound(lines, find, around) {
				a.say("No line has %q.", find)
			}
			return nil
		}),
	}
	f := cmd.Flags()
	f.BoolVar(&defaults, "defaults", false, "ask the device now, for everything with its defaults written out")
	f.StringVar(&section, "section", "", "only this section: interfaces")
	f.StringVar(&find, "find", "", "only lines in which this text stands, with those around them")
	f.IntVar(&around, "around", around, "how many lines to show before and after")
	return cmd
}

var sectionStart = regexp.MustCompile(`(?m)^  <([\w-]+)[ >/]`)

// sections lists the names of what stands one step in.
func sections(text string) []string {
	var out []string
	for _, m := range sectionStart.FindAllStringSubmatch(text, -1) {
		out = append(out, m[1])
	}
	return slices.Compact(out)
}

func sectionOf(lines []string, name string) []string {
	from := slices.IndexFunc(lines, func(l string) bool {
		m := sectionStart.FindStringSubmatch(l)
		return m != nil && m[1] == name
	})
	if from < 0 {
		return nil
	}
	to := slices.IndexFunc(lines[from:], func(l string) bool { return l == "  </"+name+">" })
	return lines[from : from+max(to, 0)+1]
}

// printFound prints the lines in which a text stands with those around them, numbered, and tells whether there is any.
func (a *app) printFound(lines []string, find string, around int) bool {
	last, found := -1, false
	for i, l := range lines {
		if !strings.Contains(strings.ToLower(l), strings.ToLower(find)) {
			continue
		}
		if from := max(i-around, last+1); from > last+1 && found {
			_, _ = fmt.Fprintln(a.out, "     …")
		}
		found = true
		for n := max(i-around, last+1); n <= min(i+around, len(lines)-1); n++ {
			_, _ = fmt.Fprintf(a.out, "%5d %s\n", n+1, lines[n])
			last = n
		}
	}
	return found
}
