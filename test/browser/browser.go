// Package browser opens the console in headless Chromium, for tests and for the
// pictures in the documentation.
package browser

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
)

// A Page is one browser tab of its own browser.
type Page struct {
	ctx  context.Context
	stop func()

	mu       sync.Mutex
	messages []string // warnings and errors of the page's console
}

// wait bounds each single step.
const wait = 3 * time.Minute

// Open starts a browser with a window of the given size.
func Open(width, height int64, dark bool) (*Page, error) {
	profile, err := os.MkdirTemp("", "tachyphor-browser-")
	if err != nil {
		return nil, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-sync", true),
		chromedp.UserDataDir(profile))
	// The build without windows draws the same and takes two thirds of the time.
	if shell, err := exec.LookPath("chromium-headless-shell"); err == nil {
		options = append(options, chromedp.ExecPath(shell))
	}
	allocator, cancelAllocator := chromedp.NewExecAllocator(context.Background(), options...)
	ctx, cancel := chromedp.NewContext(allocator)
	p := &Page{ctx: ctx, stop: func() {
		_ = chromedp.Cancel(ctx)
		cancel()
		cancelAllocator()
		_ = os.RemoveAll(profile)
	}}
	if err := chromedp.Do(ctx); err != nil { // starts the browser, which lives as long as ctx
		p.Close()
		return nil, err
	}
	heard := chromedp.Console(ctx)
	go func() {
		for m, err := range heard {
			if err != nil {
				return
			}
			if m.IsException() || m.Type == "error" || m.Type == "warning" {
				p.mu.Lock()
				p.messages = append(p.messages, m.String())
				p.mu.Unlock()
			}
		}
	}()
	err = p.Dark(dark)
	if err == nil {
		err = p.Resize(width, height)
	}
	if err != nil {
		p.Close()
		return nil, err
	}
	return p, nil
}

// Dark has the page be looked at by someone who wants dark colours, or light ones.
func (p *Page) Dark(dark bool) error {
	scheme := "light"
	if dark {
		scheme = "dark"
	}
	ctx, cancel := context.WithTimeout(p.ctx, wait)
	defer cancel()
	_, err := chromedp.Call(ctx, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
		Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}},
	})
	return err
}

// Resize makes the window another size.
func (p *Page) Resize(width, height int64) error {
	return p.do(chromedp.EmulateViewport(width, height))
}

// Close ends the browser.
func (p *Page) Close() { p.stop() }

// Messages returns the warnings and errors that the page's console has shown.
func (p *Page) Messages() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return append([]string(nil), p.messages...)
}

// do takes steps. What the page put another in the place of, between finding it and
// acting on it, is looked for again, as a person would.
func (p *Page) do(steps ...chromedp.Action[chromedp.Void]) error {
	ctx, cancel := context.WithTimeout(p.ctx, wait)
	defer cancel()
	for {
		err := chromedp.Do(ctx, steps...)
		if err == nil || ctx.Err() != nil || !strings.Contains(err.Error(), "Could not find node with given id") {
			return err
		}
	}
}

// Go opens an address.
func (p *Page) Go(address string) error { return p.do(chromedp.Navigate(address)) }

// See waits until something that a CSS selector names is visible.
func (p *Page) See(selector string) error {
	return p.do(chromedp.WaitVisible(chromedp.CSS(selector)))
}

// Click presses what a CSS selector names, once it stands still and nothing lies over it: a person
// would not press where something was a moment ago, nor through a dialog that is still going.
func (p *Page) Click(selector string) error {
	still := fmt.Sprintf(`(() => {
		const it = document.querySelector(%q);
		it?.scrollIntoViewIfNeeded();
		const box = it?.getClientRects()[0];
		if (!box) return false;
		const over = document.elementFromPoint(box.x + box.width / 2, box.y + box.height / 2);
		const now = [%q, box.x, box.y, it.contains(over) || over?.contains(it)].join();
		const times = window.stood?.[0] === now ? window.stood[1] + 1 : 0;
		window.stood = [now, times];
		return times >= 3 && now.endsWith("true");
	})()`, selector, selector)
	if err := p.Until(still); err != nil {
		return err
	}
	return p.do(chromedp.Click(chromedp.CSS(selector)))
}

// Type replaces the content of a field by typing.
func (p *Page) Type(selector, text string) error {
	chosen := fmt.Sprintf(`(() => {
		const field = document.querySelector(%q);
		field?.focus();
		field?.select();
		return field !== null && document.activeElement === field;
	})()`, selector)
	if err := p.See(selector); err != nil {
		return err
	}
	if err := p.Until(chosen); err != nil {
		return err
	}
	return p.do(chromedp.KeyEvent(text))
}

// Upload chooses a file of this machine for a field.
func (p *Page) Upload(selector, file string) error {
	return p.do(chromedp.SetUploadFiles(chromedp.CSS(selector), []string{file}))
}

// Choose picks an option of a list by its value, once it is there, as a person's choice tells the page; and of
// further lists, each followed by its value, before the page draws anything.
func (p *Page) Choose(selector, value string, more ...string) error {
	pairs, err := json.Marshal(append([]string{selector, value}, more...))
	if err != nil {
		return err
	}
	return p.Until(fmt.Sprintf(`(() => {
		const told = %s;
		const picks = told.flatMap((s, i) => (i %% 2 ? [] : [{ list: document.querySelector(s), value: told[i + 1] }]));
		const there = ({ list, value }) => list?.checkVisibility() && [...(list.options ?? [])].some((o) => o.value === value);
		if (!picks.every(there)) return false;
		for (const { list, value } of picks) {
			Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(list, value);
			list.dispatchEvent(new Event("change", { bubbles: true }));
		}
		return true;
	})()`, pairs))
}

// Press sends keys to the page.
func (p *Page) Press(keys string) error { return p.do(chromedp.KeyEvent(keys)) }

// Text returns the text of what a CSS selector names, white space made single.
func (p *Page) Text(selector string) (string, error) {
	ctx, cancel := context.WithTimeout(p.ctx, wait)
	defer cancel()
	s, err := chromedp.Run(ctx, chromedp.Text(chromedp.CSS(selector)))
	return strings.Join(strings.Fields(s), " "), err
}

// Until waits until a JavaScript expression is true, of whatever page is there: one that goes while it is asked
// is asked after again.
func (p *Page) Until(expression string) error {
	ctx, cancel := context.WithTimeout(p.ctx, wait)
	defer cancel()
	for {
		_, err := chromedp.Run(ctx, chromedp.Poll[bool](expression, chromedp.WithPollingTimeout(wait)))
		if err == nil || ctx.Err() != nil || !slices.ContainsFunc(pageWent, func(words string) bool { return strings.Contains(err.Error(), words) }) {
			return err
		}
	}
}

// pageWent is what a browser says of a question to a page that another has come in the place of.
var pageWent = []string{"context was destroyed", "Cannot find context", "Inspected target navigated", "Promise was collected"}

// Say evaluates a JavaScript expression that is a text.
func (p *Page) Say(expression string) (string, error) {
	ctx, cancel := context.WithTimeout(p.ctx, wait)
	defer cancel()
	return chromedp.Run(ctx, chromedp.Evaluate[string](expression))
}

// Number evaluates a JavaScript expression that is a number.
func (p *Page) Number(expression string) (float64, error) {
	ctx, cancel := context.WithTimeout(p.ctx, wait)
	defer cancel()
	return chromedp.Run(ctx, chromedp.Evaluate[float64](expression))
}

// Picture takes a PNG of the window.
func (p *Page) Picture() ([]byte, error) {
	ctx, cancel := context.WithTimeout(p.ctx, wait)
	defer cancel()
	return chromedp.Run(ctx, chromedp.CaptureScreenshot())
}

// Whole takes a PNG of the whole page.
func (p *Page) Whole() ([]byte, error) {
	ctx, cancel := context.WithTimeout(p.ctx, wait)
	defer cancel()
	return chromedp.Run(ctx, chromedp.FullScreenshot(100))
}

// Paste puts a text in the place of a field's, as pasting does.
func (p *Page) Paste(selector, text string) error {
	return p.do(chromedp.WaitVisible(chromedp.CSS(selector)), chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		_, err := chromedp.Run(ctx, chromedp.Evaluate[bool](fmt.Sprintf(`(() => {
			const field = document.querySelector(%q);
			field.focus();
			field.select();
			return document.execCommand("insertText", false, %q);
		})()`, selector, text)))
		return err
	}))
}
