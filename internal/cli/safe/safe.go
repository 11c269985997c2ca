// Package safe writes texts that others chose, such as names that devices tell, so that they do nothing but show: to a terminal
// without control characters, into a table with commas without formulas.
package safe

import (
	"strings"
	"unicode"
)

// Line returns a text as one line that a terminal only shows.
func Line(s string) string {
	if strings.IndexFunc(s, harmful) < 0 {
		return s
	}
	return strings.Map(func(r rune) rune {
		switch {
		case r == '\t':
			return ' '
		case harmful(r):
			return '\uFFFD'
		}
		return r
	}, s)
}

// Lines is Line for a text of several lines.
func Lines(s string) string {
	if strings.IndexFunc(s, harmful) < 0 {
		return s
	}
	parts := strings.Split(s, "\n")
	for i, p := range parts {
		parts[i] = Line(p)
	}
	return strings.Join(parts, "\n")
}

// harmful tells whether a character does something to a terminal: C0 and C1 controls, and those that turn the direction of
// writing or cannot be seen.
func harmful(r rune) bool {
	return unicode.IsControl(r) || unicode.In(r, unicode.Cf, unicode.Co, unicode.Zl, unicode.Zp)
}

// Cell returns a text for a table with commas that a program for sheets does not take for a formula.
func Cell(s string) string {
	s = Line(s)
	if s != "" && strings.ContainsRune("=+-@", rune(s[0])) && !number(s) {
		return "'" + s
	}
	return s
}

// number tells whether a text is a plain number, which is no formula.
func number(s string) bool {
	digits := 0
	for i, r := range s {
		switch {
		case r >= '0' && r <= '9':
			digits++
		case r == '.' || i == 0 && (r == '-' || r == '+'):
		default:
			return false
		}
	}
	return digits > 0
}
