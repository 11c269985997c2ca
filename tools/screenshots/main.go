// Command screenshots takes the pictures in docs/screenshots, from a demo of its own. Those of the command line are taken
// of a real terminal in a virtual display; they are left out where Xvfb, xterm or ImageMagick are not installed.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/chromedp"

	"example.net/everypost/internal/testing/browser"
)

const (
	listen   = "127.0.0.1:8590"
	control  = "127.0.0.1:8591"
	base     = "http://" + listen
	password = "lanterns over the sound"
	out      = "docs/screenshots"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, "screenshots:", err)
		os.Exit(1)
	}
}

func run() error {
	dir, err := os.MkdirTemp("", "everypost-screenshots")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	stop, err := demo(dir)
	if err != nil {
		return err
	}
	defer stop()
	t := terminal{home: dir}
	if err := t.command(password+"\n", "login", "--user", "ada"); err != nil {
		return err
	}
	b, err := browser.New(context.Background(), 1280, 800)
	if err != nil {
		return err
	}
	defer b.Close()
	if err := pages(b, t); err != nil {
		return err
	}
	return t.pictures()
}

// demo runs the demo until the function that it returns is called.
func demo(dir string) (func(), error) {
	cmd := exec.Command("bin/everypost", "demo", "--data", filepath.Join(dir, "demo"), "--listen", listen, "--control", control, "--device-port", "2930", "--page-port", "2980",
		"--call-home-listen", "127.0.0.1:4434", "--bootstrap-listen", "127.0.0.1:8592", "--guest-listen", "127.0.0.1:8593", "--quiet")
	ready := make(chan struct{})
	cmd.Stdout = &watcher{text: "Ctrl-C", found: ready}
	cmd.Stderr = os.Stderr
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	stop := func() {
		_ = cmd.Process.Signal(os.Interrupt)
		_ = cmd.Wait()
	}
	select {
	case <-ready:
		// Let the counters of the first seconds come in.
		time.Sleep(8 * time.Second)
		return stop, nil
	case <-time.After(3 * time.Minute):
		stop()
		return nil, errors.New("the demo did not start")
	}
}

type watcher struct {
	text  string
	seen  strings.Builder
	found chan struct{}
	done  bool
}

func (w *watcher) Write(b []byte) (int, error) {
	w.seen.Write(b)
	if !w.done && strings.Contains(w.seen.String(), w.text) {
		w.done = true
		close(w.found)
	}
	return len(b), nil
}

func picture(name string) chromedp.Action {
	return chromedp.Tasks{chromedp.Sleep(500 * time.Millisecond), browser.Picture(filepath.Join(out, name+".png"))}
}

func inDialog(label string) chromedp.Action {
	return chromedp.Tasks{
		chromedp.WaitVisible(`[role=dialog]`),
		chromedp.Evaluate(fmt.Sprintf(`[...document.querySelectorAll("[role=dialog] button")].find(b => b.innerText.trim() === %q).click()`, label), nil),
	}
}

func pages(b *browser.Browser, t terminal) error {
	return b.Run(
		chromedp.Navigate(base), chromedp.WaitVisible(`input[type=password]`), browser.Theme("light"),
		browser.SignIn(base, "ada", password), browser.Shows("Tern Haven terminal"),
		// A change through its whole life.
		chromedp.Navigate(base+"/devices/th-sw-02"), browser.Shows("H24P"),
		browser.Press("Port 1/1/7"), browser.Shows("Put into a new draft"),
		browser.Choose("VLAN (access)", "40"), browser.Choose("PoE", "off"), browser.Press("Put into a new draft"), browser.Shows("Change 5"),
		chromedp.SendKeys(`input[aria-label="Why this change is made"]`, "Printer moves to ticketing\n"),
		browser.Press("Check"), browser.Shows("guards found nothing"),
		browser.Press("Push to 1 device"), inDialog("Push"), browser.Shows("Every device was read back"), browser.Until(`/PoE\s+off/.test(document.body.innerText)`), picture("trial"),
		browser.Press("Keep it"), browser.Shows("for good"),
		// One that would cut its own way.
		chromedp.Navigate(base+"/devices/th-sw-02?sel=1%2F1%2F25"), browser.Shows("Tagged VLANs"),
		browser.Replace(`input[title^="a list such as"]`, "20,30,40,50,60,70,80,90,99"), browser.Press("Put into a new draft"), browser.Shows("Change 6"),
		browser.Press("Check"), browser.Shows("could not be reached any more"), picture("findings"),
		chromedp.ActionFunc(func(context.Context) error {
			return errors.Join(t.command("", "demo", "fault", "--control", control, "cut", "th-sw-02:1/1/14"),
				t.command("", "demo", "fault", "--control", control, "cut", "th-fw-01:lan1"),
				t.command("", "demo", "fault", "--control", control, "dead-supply", "th-sw-05"),
				t.command("", "demo", "fault", "--control", control, "rain", "th-rl-01"))
		}),
		chromedp.Navigate(base+"/watch"), browser.Shows("th-fw-01 is gone"), picture("watch"),
		chromedp.Navigate(base+"/alarms"), browser.Shows("gives no power"), browser.Press("Alarm "), browser.Shows("To do:"), picture("alarms"),
		browser.Theme("dark"),
		chromedp.Navigate(base+"/between?view=radio&link=gs-rl-01&fared=30d"), browser.Shows("Errored seconds"), browser.Shows("are left beside"), picture("between-dark"),
		browser.Theme("light"), chromedp.Navigate(base+"/jobs?job=2"), browser.Shows("it runs 4.2.0"), picture("jobs"),
		chromedp.Navigate(base+"/devices/th-sw-02?tab=tests&ask=capture"), browser.Shows("keeps what passes"), browser.TypeInto("Ports", "1/1/17,1/1/2"), browser.TypeInto("For", "2\r"), browser.Shows("Frames 1 to"),
		browser.Until("document.querySelector(`section[aria-label=Frames]`).scrollIntoView() || true"), picture("capture"),
		chromedp.Navigate(base+"/guests?view=portals&edit=landing"), browser.Until(`[...document.querySelectorAll("iframe")].filter(f => f.contentDocument?.body.innerText.includes("Welcome aboard")).length === 2`), picture("guests"),
		chromedp.Navigate(base+"/devices?group=site"), browser.Shows("grey-skerry"), picture("devices"),
		chromedp.Navigate(base+"/ports?scope=camera+and+site+%3D+tern-haven&sel=th-sw-01:1%2F1%2F29,th-sw-02:1%2F1%2F7,th-sw-02:1%2F1%2F25"), browser.Shows("mixed:"), picture("ports"),
		chromedp.Navigate(base+"/clients?group=ssid&closed=&scope=site+%3D+tern-haven"), browser.Shows("Lantern Crew"), picture("clients"),
		chromedp.ActionFunc(func(context.Context) error {
			return errors.Join(t.command("", "change-rule", "set", "vessels", "--title", "Ships are changed in port", "--pick", "site in (fulmar, guillemot, razorbill, turnstone)", "--hours", "mon-sun 01:00-04:30", "--zone", "Europe/London"),
				t.command("", "change-rule", "set", "core", "--title", "Four eyes on the machine room", "--pick", "site = harbour-house and kind = switch", "--approval"),
				t.command("", "port", "set", "hh-core-01", "ntp-servers=10.1.10.1,10.1.10.2", "--why", "the cores set their clocks"), t.command("", "change", "check", "7"), t.command("", "change", "push", "7", "--at", "23:59"))
		}),
		chromedp.Navigate(base+"/changes?view=rules&tray=7"), browser.Shows("Waits to be pushed"),
		chromedp.Navigate(base+"/policies?firewall=th-fw-01"), browser.Shows("its last day is over"), picture("policies"),
		chromedp.Navigate(base+"/wireless?view=radios"), browser.Shows("loudest"), picture("wireless"),
		chromedp.Navigate(base+"/changes?tray=6"),
		chromedp.Navigate(base+"/map"), browser.Shows("tunnels"), chromedp.Sleep(2*time.Second), picture("map"),
		chromedp.Navigate(base+"/firmware?view=library"), browser.Shows("Enhanced open"), picture("firmware"),
		chromedp.Navigate(base+"/templates?template=camera&settings=Power"), browser.Shows("Class limit"), browser.Choose("Priority", "critical"), browser.Press("Add to draft 6"), browser.Shows("set to critical"),
		browser.Until("document.querySelector(`aside[aria-label='Draft tray']`).innerText.includes(`poe-priority`)"), picture("templates"),
	)
}

// terminal runs the program with a home of its own.
type terminal struct{ home string }

func (t terminal) env() []string {
	return append(os.Environ(), "HOME="+t.home, "XDG_CONFIG_HOME="+t.home, "EVERYPOST_SERVER="+base, "LANG=C.UTF-8")
}

func (t terminal) command(stdin string, args ...string) error {
	cmd := exec.Command("bin/everypost", args...)
	cmd.Env, cmd.Stdin = t.env(), strings.NewReader(stdin)
	if b, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("everypost %s: %w\n%s", strings.Join(args, " "), err, b)
	}
	return nil
}

func (t terminal) pictures() error {
	for _, program := range []string{"Xvfb", "xterm", "import"} {
		if _, err := exec.LookPath(program); err != nil {
			fmt.Println("no pictures of the command line:", err)
			return nil
		}
	}
	display := exec.Command("Xvfb", ":97", "-screen", "0", "1280x800x24")
	if err := display.Start(); err != nil {
		return err
	}
	defer func() {
		_ = display.Process.Kill()
		_ = display.Wait()
	}()
	time.Sleep(time.Second)
	for name, line := range map[string]string{
		"cli-device-show": "everypost device show th-sw-02",
		"cli-watch":       "everypost watch",
		"cli-history":     "everypost history th-edge-01:lan1 rx tx --period 7d; everypost history th-rl-01 --part radio-link --period 30d; everypost links --period 24h --limit 12",
	} {
		if err := t.window(name, line); err != nil {
			return err
		}
	}
	return nil
}

func (t terminal) window(name, line string) error {
	bin, err := filepath.Abs("bin")
	if err != nil {
		return err
	}
	script := "clear; printf '\\033[1m$ %s\\033[0m\\n' \"$LINE\"; eval \"$LINE\" 2>&1; sleep 20"
	cmd := exec.Command("xterm", "-fa", "DejaVu Sans Mono", "-fs", "10", "-geometry", "157x46+0+0", "-bw", "8", "-bg", "#111e28", "-fg", "#dde7eb", "-cr", "#111e28", "-e", "bash", "-c", script)
	cmd.Env = append(t.env(), "DISPLAY=:97", "LINE="+line, "PATH="+bin+":"+os.Getenv("PATH"))
	if err := cmd.Start(); err != nil {
		return err
	}
	defer func() {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
	}()
	time.Sleep(2500 * time.Millisecond)
	grab := exec.Command("import", "-window", "root", filepath.Join(out, name+".png"))
	grab.Env = append(os.Environ(), "DISPLAY=:97")
	if b, err := grab.CombinedOutput(); err != nil {
		return fmt.Errorf("picture %s: %w\n%s", name, err, b)
	}
	return nil
}
