// Package browser drives a headless Chromium for the tests of the console and for its pictures. It is not part of the
// product.
package browser

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"
)

// Browser is one window of a headless Chromium.
type Browser struct {
	ctx    context.Context
	cancel func()
	// Complaints are errors that the page told on its console.
	Complaints []string
}

// New opens a window of that size: in the Chromium that others of this process have theirs in, which shares nothing between them, or in a new one.
func New(ctx context.Context, width, height int) (*Browser, error) {
	chromium, leave, err := enter()
	if err != nil {
		return nil, err
	}
	profile, window, err := apart(chromium)
	if err != nil {
		leave()
		return nil, fmt.Errorf("open a window: %w", err)
	}
	tab, stopTab := chromedp.NewContext(chromium, chromedp.WithTargetID(window))
	stopWith := context.AfterFunc(ctx, stopTab)
	b := &Browser{ctx: tab, cancel: func() {
		stopWith()
		stopTab()
		_ = chromedp.Run(chromium, chromedp.ActionFunc(func(ctx context.Context) error {
			return target.DisposeBrowserContext(profile).Do(cdp.WithExecutor(ctx, chromedp.FromContext(ctx).Browser))
		}))
		leave()
	}}
	chromedp.ListenTarget(tab, func(ev any) {
		switch e := ev.(type) {
		case *runtime.EventExceptionThrown:
			b.Complaints = append(b.Complaints, e.ExceptionDetails.Error())
		case *runtime.EventConsoleAPICalled:
			if e.Type == runtime.APITypeError {
				var parts []string
				for _, a := range e.Args {
					parts = append(parts, string(a.Value)+a.Description)
				}
				b.Complaints = append(b.Complaints, strings.Join(parts, " "))
			}
		}
	})
	if err := chromedp.Run(tab, emulation.SetDeviceMetricsOverride(int64(width), int64(height), 1, false)); err != nil {
		b.Close()
		return nil, fmt.Errorf("start the browser: %w", err)
	}
	return b, nil
}

// running is the Chromium of this process, while anybody has a window in it.
var running struct {
	sync.Mutex
	windows int
	ctx     context.Context
	stop    func()
}

// enter returns the Chromium of this process, which is started for the first window. Who leaves last ends it.
func enter() (context.Context, func(), error) {
	running.Lock()
	defer running.Unlock()
	if running.windows == 0 {
		path, err := program()
		if err != nil {
			return nil, nil, err
		}
		opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.NoSandbox, chromedp.WSURLReadTimeout(2*time.Minute),
			chromedp.Flag("disable-dev-shm-usage", true), chromedp.Flag("disable-background-networking", true),
			chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true), chromedp.Flag("disable-quic", true),
			chromedp.Flag("force-color-profile", "srgb"), chromedp.Flag("hide-scrollbars", true))
		alloc, stopAlloc := chromedp.NewExecAllocator(context.Background(), opts...)
		first, stopFirst := chromedp.NewContext(alloc)
		stop := func() { stopFirst(); stopAlloc() }
		if err := chromedp.Run(first); err != nil {
			stop()
			return nil, nil, fmt.Errorf("start the browser: %w", err)
		}
		running.ctx, running.stop = first, stop
	}
	running.windows++
	return running.ctx, func() {
		running.Lock()
		defer running.Unlock()
		if running.windows--; running.windows == 0 {
			running.stop()
		}
	}, nil
}

// apart opens a window that shares nothing with others.
func apart(chromium context.Context) (profile cdp.BrowserContextID, window target.ID, err error) {
	err = chromedp.Run(chromium, chromedp.ActionFunc(func(ctx context.Context) (err error) {
		ctx = cdp.WithExecutor(ctx, chromedp.FromContext(ctx).Browser)
		if profile, err = target.CreateBrowserContext().Do(ctx); err == nil {
			window, err = target.CreateTarget("about:blank").WithBrowserContextID(profile).WithNewWindow(true).Do(ctx)
		}
		return err
	}))
	return profile, window, err
}

// program is where Chromium is.
func program() (string, error) {
	for _, p := range []string{os.Getenv("CHROMIUM"), "/usr/bin/chromium", "/usr/bin/chromium-browser"} {
		if _, err := os.Stat(p); p != "" && err == nil {
			return p, nil
		}
	}
	return "", errors.New("no Chromium is installed: run make test-deps")
}

// Close ends the browser.
func (b *Browser) Close() { b.cancel() }

// Run does things one after another, each within a time.
func (b *Browser) Run(actions ...chromedp.Action) error {
	for i, a := range actions {
		ctx, cancel := context.WithTimeout(b.ctx, 2*time.Minute)
		err := chromedp.Run(ctx, a)
		cancel()
		if err != nil {
			return fmt.Errorf("step %d: %w\n%s", i+1, err, b.Text())
		}
	}
	return nil
}

// Text is what stands on the page.
func (b *Browser) Text() string {
	ctx, cancel := context.WithTimeout(b.ctx, 5*time.Second)
	defer cancel()
	var s string
	_ = chromedp.Run(ctx, chromedp.Evaluate(`document.body.innerText`, &s))
	return s
}

// Theme makes the page light or dark, whatever the system says.
func Theme(name string) chromedp.Action {
	return chromedp.Evaluate(fmt.Sprintf(`localStorage.setItem("everypost.theme", %q); document.documentElement.dataset.theme = %q; true`, name, name), nil)
}

// SignIn signs in on the page of a service.
func SignIn(base, name, password string) chromedp.Action {
	return chromedp.Tasks{
		chromedp.Navigate(base),
		Type(`input[autocomplete=username]`, name),
		Type(`input[type=password]`, password+"\r"),
		Until(`document.querySelector("#main")`),
	}
}

// Type focuses an element and types a text on the keyboard. (The library's own way of it reads what its other goroutine
// writes.)
func Type(selector, text string) chromedp.Action {
	return chromedp.Tasks{
		On(fmt.Sprintf(`document.querySelector(%q)`, selector), `e.focus()`),
		chromedp.KeyEvent(text),
	}
}

// Replace is Type in place of what stands in a field.
func Replace(selector, text string) chromedp.Action {
	return chromedp.Tasks{
		Until(fmt.Sprintf(`document.querySelector(%q)?.value`, selector)),
		On(fmt.Sprintf(`document.querySelector(%q)`, selector), `e.select()`),
		Type(selector, text),
	}
}

// TypeInto is Type for the field that has a label.
func TypeInto(label, text string) chromedp.Action {
	find := fmt.Sprintf(`[...document.querySelectorAll("label")].find(l => l.innerText.trim() === %q)`, label)
	return chromedp.Tasks{
		On(`document.getElementById(`+find+`?.htmlFor)`, `e.focus()`),
		chromedp.KeyEvent(text),
	}
}

// Until waits until an expression is true on the page. A page that is just being exchanged for another is asked again.
func Until(expression string) chromedp.Action {
	return chromedp.ActionFunc(func(ctx context.Context) error {
		tick := time.NewTicker(30 * time.Millisecond)
		defer tick.Stop()
		for {
			var is bool
			err := chromedp.Evaluate("Boolean("+expression+")", &is).Do(ctx)
			if err == nil && is {
				return nil
			}
			select {
			case <-tick.C:
			case <-ctx.Done():
				return errors.Join(fmt.Errorf("it does not come true: %s", expression), err)
			}
		}
	})
}

// Shows waits until a text stands on the page.
func Shows(text string) chromedp.Action {
	return Until(fmt.Sprintf(`document.body && document.body.innerText.includes(%q)`, text))
}

// Press clicks the button or link whose text or label begins so.
func Press(label string) chromedp.Action {
	find := fmt.Sprintf(`[...document.querySelectorAll("button, a, [role=tab], label, summary")].find(e =>
		((e.getAttribute("aria-label") || e.innerText || "").trim().startsWith(%q)) && e.getClientRects().length > 0 && !e.disabled)`, label)
	// Radix listens for the pointer, others for the click: give both, as a mouse does. It comes after the answer, for the page may be another by then.
	return On(find, `setTimeout(() => { for (const t of ["pointerdown","mousedown","pointerup","mouseup"]) e.dispatchEvent(new MouseEvent(t, {bubbles: true, button: 0})); e.click() })`)
}

// On waits for an element, which an expression finds, and does something to it, which is called e: in one step, for the page may draw it anew between
// two.
func On(find, do string) chromedp.Action {
	return Until(`(e => e && (` + do + `, true))(` + find + `)`)
}

// Drag draws the mouse over an element, from a part of its width to another.
func Drag(selector string, from, to float64) chromedp.Action {
	var box struct{ Left, Top, Width, Height float64 }
	event := func(kind input.MouseType, part float64) chromedp.Action {
		return chromedp.ActionFunc(func(ctx context.Context) error {
			return input.DispatchMouseEvent(kind, box.Left+part*box.Width, box.Top+box.Height/2).WithButton(input.Left).WithButtons(1).WithClickCount(1).Do(ctx)
		})
	}
	return chromedp.Tasks{
		// In one step: the page may draw the element anew between two.
		chromedp.Evaluate(fmt.Sprintf(`(e => { e.scrollIntoView({block: "center", behavior: "instant"}); const b = e.getBoundingClientRect();
			return {Left: b.left, Top: b.top, Width: b.width, Height: b.height} })(document.querySelector(%q))`, selector), &box),
		event(input.MouseMoved, from), event(input.MousePressed, from), event(input.MouseMoved, (from+to)/2), event(input.MouseMoved, to), event(input.MouseReleased, to),
	}
}

// Choose picks an option of the select that has a label.
func Choose(label, value string) chromedp.Action {
	find := fmt.Sprintf(`[...document.querySelectorAll("label")].find(l => l.innerText.trim().startsWith(%q))`, label)
	return On(`document.getElementById(`+find+`?.htmlFor)`, fmt.Sprintf(`Object.getOwnPropertyDescriptor(Object.getPrototypeOf(e), "value").set.call(e, %q),
			e.dispatchEvent(new Event("input", {bubbles: true})), e.dispatchEvent(new Event("change", {bubbles: true}))`, value))
}

// Picture writes a picture of the window to a file.
func Picture(file string) chromedp.Action {
	return chromedp.ActionFunc(func(ctx context.Context) error {
		var png []byte
		if err := chromedp.CaptureScreenshot(&png).Do(ctx); err != nil {
			return err
		}
		return os.WriteFile(file, png, 0o644) //nolint:gosec // a picture for everybody
	})
}
