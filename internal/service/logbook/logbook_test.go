package logbook_test

import (
	"bytes"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/service/logbook"
)

func TestTheLastLinesAreKept(t *testing.T) {
	t.Parallel()
	var out bytes.Buffer
	b := logbook.New(3)
	log := slog.New(b.Keep(slog.NewTextHandler(&out, nil))).With("part", "fleet")
	for i := range 5 {
		log.Warn("gone", "device", fmt.Sprint("th-sw-0", i))
	}
	log.Debug("not even written")
	var got []string
	for _, l := range b.Lines() {
		got = append(got, l.Level.String()+" "+l.Text)
	}
	assert.Equal(t, []string{"WARN gone part=fleet device=th-sw-02", "WARN gone part=fleet device=th-sw-03", "WARN gone part=fleet device=th-sw-04"}, got)
	assert.Equal(t, 5, strings.Count(out.String(), "msg=gone part=fleet"), "and all is written as before")

	log.WithGroup("job").Error(strings.Repeat("é", 5000), "number", 4)
	last := b.Lines()[2]
	assert.Less(t, len(last.Text), 2010)
	assert.True(t, strings.HasSuffix(last.Text, "é..."))
	assert.Empty(t, (*logbook.Book)(nil).Lines())
}

func TestManyWriteIntoOneBook(t *testing.T) {
	t.Parallel()
	b := logbook.New(10)
	log := slog.New(b.Keep(slog.DiscardHandler))
	log.Info("nobody hears it")
	assert.Empty(t, b.Lines(), "what the handler leaves out is left out")
	log = slog.New(b.Keep(slog.NewTextHandler(&bytes.Buffer{}, nil)))
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			for range 50 {
				log.Info("tick")
				_ = b.Lines()
			}
		})
	}
	all.Wait()
	assert.Len(t, b.Lines(), 10)
}
