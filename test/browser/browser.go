// Package browser opens the console in headless Chromium, for tests and for the
// pictures in the documentation.
package browser

import (
	"context"
	"os"
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
const wait = 30 * time.Second

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
	scheme := "light"
	if dark {
		scheme = "dark"
	}
	_, err = chromedp.Call(ctx, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
		Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}},
	})
	if err == nil {
		err = p.do(chromedp.EmulateViewport(width, height))
	}
	if err != nil {
		p.Close()
		return nil, err
	}
	return p, nil
}

// Close ends the browser.
func (p *Page) Close() { p.stop() }

// Messages returns the warnings and errors that the page's console has shown.
func (p *Page) Messages() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return append([]string(nil), p.messages...)
}

func (p *Page) do(steps ...chromedp.Action[chromedp.Void]) error {
	ctx, cancel := context.WithTimeout(p.ctx, wait)
	defer cancel()
	return chromedp.Do(ctx, steps...)
}

// Go opens an address.
func (p *Page) Go(address string) error { return p.do(chromedp.Navigate(address)) }

// See waits until something that a CSS selector names is visible.
func (p *Page) See(selector string) error {
	return p.do(chromedp.WaitVisible(chromedp.CSS(selector)))
}

// Click presses what a CSS selector names.
func (p *Page) Click(selector string) error {
	return p.do(chromedp.ScrollIntoView(chromedp.CSS(selector)), chromedp.Click(chromedp.CSS(selector)))
}

// Type replaces the content of a field by typing.
func (p *Page) Type(selector, text string) error {
	return p.do(
		chromedp.Focus(chromedp.CSS(selector)),
		chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
			_, err := chromedp.Run(ctx, chromedp.Evaluate[bool](`(document.activeElement.select(), true)`))
			return err
		}),
		chromedp.KeyEvent(text),
	)
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

// Until waits until a JavaScript expression is true.
func (p *Page) Until(expression string) error {
	ctx, cancel := context.WithTimeout(p.ctx, wait)
	defer cancel()
	_, err := chromedp.Run(ctx, chromedp.Poll[bool](expression))
	return err
}

// Number evaluates a JavaScript expression.
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
