package cli

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// explain has every command say what is wrong with how it was written, and how it is written instead.
func explain(cmd *cobra.Command) {
	for _, c := range cmd.Commands() {
		explain(c)
	}
	if check := cmd.Args; check != nil {
		cmd.Args = func(cmd *cobra.Command, args []string) error {
			err := check(cmd, args)
			if err == nil {
				return nil
			}
			return usage("%s", wrongArguments(cmd, args, err))
		}
	}
	if cmd.HasSubCommands() && !cmd.Runnable() && cmd.HasParent() {
		cmd.Args = nil
		cmd.RunE = func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return cmd.Help()
			}
			var names []string
			for _, c := range cmd.Commands() {
				if c.IsAvailableCommand() {
					names = append(names, c.Name())
				}
			}
			slices.Sort(names)
			cmd.SuggestionsMinimumDistance = 2
			meant := "."
			if near := cmd.SuggestionsFor(args[0]); len(near) > 0 {
				meant = fmt.Sprintf("; did you mean %q?", near[0])
			}
			return usage("%q has no command %q%s It has: %s.", cmd.CommandPath(), args[0], meant, strings.Join(names, ", "))
		}
	}
}

// wrongArguments says what is missing or too much after a command.
func wrongArguments(cmd *cobra.Command, args []string, err error) string {
	form := strings.TrimSuffix(cmd.UseLine(), " [flags]")
	wants := strings.Fields(cmd.Use)[1:]
	wants = slices.DeleteFunc(wants, func(w string) bool { return strings.HasPrefix(w, "[") })
	switch {
	case len(args) < len(wants):
		return fmt.Sprintf("%s is missing: write %s", strings.Join(wants[len(args):], " and "), form)
	case len(wants) == 0 && len(args) > 0 && !strings.Contains(cmd.Use, "["):
		return fmt.Sprintf("%q is too much: %s takes nothing after it", args[0], cmd.CommandPath())
	case len(args) > len(wants) && strings.Contains(err.Error(), "arg"):
		return fmt.Sprintf("%q is too much: write %s", args[len(args)-1], form)
	}
	return err.Error()
}

// count is the value of a flag that counts something.
type count struct {
	to    *int
	least int
}

func (c count) String() string {
	if c.to == nil {
		return "0"
	}
	return strconv.Itoa(*c.to)
}

func (c count) Type() string { return "number" }

func (c count) Set(s string) error {
	n, err := strconv.Atoi(s)
	if err != nil || n < c.least {
		return fmt.Errorf("write a whole number from %d", c.least)
	}
	*c.to = n
	return nil
}

// countVar defines a flag that counts something, from a least number.
func countVar(f *pflag.FlagSet, to *int, name string, value, least int, help string) {
	*to = value
	f.Var(count{to, least}, name, help)
}

// draftNumber is the value of a flag that names a draft.
type draftNumber struct{ to *int64 }

func (d draftNumber) String() string {
	if d.to == nil || *d.to == 0 {
		return ""
	}
	return strconv.FormatInt(*d.to, 10)
}

func (d draftNumber) Type() string { return "number" }

func (d draftNumber) Set(s string) error {
	n, err := strconv.ParseInt(s, 10, 64)
	if err != nil || n < 1 {
		return fmt.Errorf("write the number of a draft, such as 12")
	}
	*d.to = n
	return nil
}

// homeFolder notices a selector in which the shell put a folder in the place of ~.
func homeFolder(words []string) error {
	for _, w := range words {
		if strings.HasPrefix(w, "/home/") || strings.HasPrefix(w, "/root") || strings.HasPrefix(w, "/Users/") {
			return usage("%q looks like a home folder: the shell put it in the place of ~. Put the selector in quotes", w)
		}
	}
	return nil
}
