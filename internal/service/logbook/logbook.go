// Package logbook keeps the last lines that the service logged in memory, for who runs it and cannot get at its standard error.
package logbook

import (
	"context"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"time"
)

// longest is how much of a line is kept, in octets.
const longest = 2000

// Line is something that was logged.
type Line struct {
	At    time.Time
	Level slog.Level
	Text  string // the message, and what was said with it: name=value
}

// Book keeps the last lines. Make it with New.
type Book struct {
	mu    sync.Mutex
	lines []Line
	next  int // where the next line goes, once the book is full
	most  int
}

// New returns a book of at most so many lines.
func New(most int) *Book { return &Book{most: most} }

// Lines lists what was logged last, the oldest first. A nil book holds none.
func (b *Book) Lines() []Line {
	if b == nil {
		return nil
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	return append(append([]Line{}, b.lines[b.next:]...), b.lines[:b.next]...)
}

func (b *Book) put(l Line) {
	if len(l.Text) > longest {
		l.Text = strings.ToValidUTF8(l.Text[:longest], "") + "..."
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.lines) < b.most {
		b.lines = append(b.lines, l)
		return
	}
	b.lines[b.next] = l
	b.next = (b.next + 1) % b.most
}

// Keep returns a handler that has the book keep what the other one writes.
func (b *Book) Keep(h slog.Handler) slog.Handler { return keeper{Handler: h, book: b} }

// keeper writes to a handler, and to a book. It is as safe for several goroutines as that handler.
type keeper struct {
	slog.Handler
	book  *Book
	said  string // by With, ready to be written
	group string // before the names of what is said
}

func (k keeper) Handle(ctx context.Context, r slog.Record) error {
	text := strings.Builder{}
	text.WriteString(r.Message + k.said)
	r.Attrs(func(a slog.Attr) bool {
		text.WriteString(said(k.group, a))
		return true
	})
	k.book.put(Line{At: r.Time, Level: r.Level, Text: text.String()})
	return k.Handler.Handle(ctx, r)
}

func (k keeper) WithAttrs(attrs []slog.Attr) slog.Handler {
	k.Handler = k.Handler.WithAttrs(attrs)
	for _, a := range attrs {
		k.said += said(k.group, a)
	}
	return k
}

func (k keeper) WithGroup(name string) slog.Handler {
	k.Handler = k.Handler.WithGroup(name)
	if name != "" {
		k.group += name + "."
	}
	return k
}

func said(group string, a slog.Attr) string {
	return fmt.Sprintf(" %s%s=%v", group, a.Key, a.Value.Resolve())
}
