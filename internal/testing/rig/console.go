package rig

import (
	"fmt"
	"os"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/testing/browser"
)

// NewBrowser starts a browser for a test.
func NewBrowser(t *testing.T) *browser.Browser {
	t.Helper()
	b, err := browser.New(t.Context(), 1280, 800)
	if err != nil && os.Getenv("CI") == "" {
		t.Skip(err)
	}
	require.NoError(t, err)
	t.Cleanup(b.Close)
	return b
}

// OpenConsole starts a browser at the console of a rig, signed in as Ada.
func OpenConsole(t *testing.T, r *Rig) *browser.Browser {
	t.Helper()
	b := NewBrowser(t)
	t.Cleanup(func() { assert.Empty(t, b.Complaints, "the page complained") })
	require.NoError(t, b.Run(browser.SignIn(r.Base, "ada", Password), browser.Shows("Tern Haven terminal")))
	return b
}

// InDialog presses a button inside the dialog that is open.
func InDialog(label string) chromedp.Action {
	find := fmt.Sprintf(`[...document.querySelectorAll("[role=dialog] button")].find(b => b.innerText.trim() === %q && !b.disabled)`, label)
	return browser.On(find, `setTimeout(() => e.click())`)
}

// NoDialog waits until dialogs are closed.
var NoDialog = browser.Until(`!document.querySelector("[role=dialog]")`)

const ScopeLine = `input[role=combobox]`

// Rows waits until the table shows so many rows besides the head.
func Rows(n string) chromedp.Action {
	return browser.Until(`document.querySelector("tbody") && document.querySelectorAll("tbody tr[aria-rowindex]").length === ` + n)
}
