package safe

import (
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestTerminalsOnlyShow(t *testing.T) {
	for in, want := range map[string]string{
		"gate camera": "gate camera", "\x1b[2Jgone": "\uFFFD[2Jgone", "a\nb\tc": "a\uFFFDb c", "\u202egnp": "\uFFFDgnp", "Gärten – ✓": "Gärten – ✓", "a\u0085b\u009bc": "a\uFFFDb\uFFFDc",
	} {
		assert.Equal(t, want, Line(in), "%q", in)
	}
	assert.Equal(t, "one\ntwo\uFFFD", Lines("one\ntwo\x07"))
	rapid.Check(t, func(t *rapid.T) {
		s := Line(rapid.String().Draw(t, "text"))
		assert.Less(t, strings.IndexFunc(s, unicode.IsControl), 0)
	})
}

func TestSheetsTakeNothingForAFormula(t *testing.T) {
	for in, want := range map[string]string{
		"=1+1": "'=1+1", "+cmd": "'+cmd", "@x": "'@x", "-x": "'-x", "-61": "-61", "+4.5": "+4.5", "plain": "plain", "": "", "\x01=1": "\uFFFD=1", "-": "'-",
	} {
		assert.Equal(t, want, Cell(in), "%q", in)
	}
}
