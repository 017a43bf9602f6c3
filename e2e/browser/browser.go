// Package browser drives the console in headless Chromium, for the end-to-end
// tests and for the pictures in the docs.
package browser

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
)

// Page is one tab of a browser of its own, with an empty profile.
type Page struct {
	ctx  context.Context
	base string
	stop func()
}

// Patience is how long a page may take to show what is waited for.
const Patience = 20 * time.Second

// Open starts a browser for a service's address.
func Open(ctx context.Context, base string) (*Page, error) {
	profile, err := os.MkdirTemp("", "nimbus-browser-")
	if err != nil {
		return nil, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("/usr/bin/chromium"),
		chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.UserDataDir(profile), chromedp.WindowSize(1280, 800), chromedp.WSURLReadTimeout(time.Minute),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-quic", true),
		chromedp.Flag("hide-scrollbars", true))
	allocator, endAllocator := chromedp.NewExecAllocator(ctx, options...)
	tab, endTab := chromedp.NewContext(allocator)
	p := &Page{ctx: tab, base: base, stop: func() {
		endTab()
		endAllocator()
		_ = os.RemoveAll(profile)
	}}
	if err := chromedp.Do(tab, chromedp.EmulateViewport(1280, 800)); err != nil {
		p.stop()
		return nil, fmt.Errorf("the browser does not start: %w", err)
	}
	return p, nil
}

// Close ends the browser.
func (p *Page) Close() { p.stop() }

func (p *Page) do(steps ...chromedp.Action[chromedp.Void]) error {
	ctx, cancel := context.WithTimeout(p.ctx, Patience)
	defer cancel()
	return chromedp.Do(ctx, steps...)
}

// Go opens a path of the service.
func (p *Page) Go(path string) error { return p.do(chromedp.Navigate(p.base + path)) }

// Size sets the viewport.
func (p *Page) Size(width, height int64) error {
	return p.do(chromedp.EmulateViewport(width, height))
}

// Dark asks pages for their dark colours, or no longer.
func (p *Page) Dark(dark bool) error {
	value := "light"
	if dark {
		value = "dark"
	}
	return p.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, emulation.SetEmulatedMedia,
			emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{
				{Name: "prefers-color-scheme", Value: value}, {Name: "prefers-reduced-motion", Value: "reduce"}}})
		return err
	}))
}

// Offline takes the connection away from the page, or gives it back.
func (p *Page) Offline(offline bool) error {
	return p.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		rules := []*network.Conditions{}
		if offline {
			rules = append(rules, &network.Conditions{Offline: true, DownloadThroughput: -1, UploadThroughput: -1})
		}
		if _, err := cdp.Call(ctx, t, network.EmulateNetworkConditionsByRule, network.EmulateNetworkConditionsByRuleParams{
			MatchedNetworkConditions: rules}); err != nil {
			return err
		}
		_, err := cdp.Call(ctx, t, network.OverrideNetworkState, network.OverrideNetworkStateParams{Offline: offline,
			DownloadThroughput: -1, UploadThroughput: -1})
		return err
	}))
}

// Edit replaces words in the file that is open in an editor, on one line.
func (p *Page) Edit(from, to string) error {
	done, err := Eval[bool](p, fmt.Sprintf(`(() => {
		const line = [...document.querySelectorAll(".cm-line")].find((l) => l.textContent.includes(%q))
		if (!line) return false
		const walker = document.createTreeWalker(line, NodeFilter.SHOW_TEXT)
		let node = walker.nextNode(), left = line.textContent.indexOf(%q)
		while (node && left > node.textContent.length) { left -= node.textContent.length; node = walker.nextNode() }
		node.textContent = node.textContent.slice(0, left) + %q + node.textContent.slice(left + %d)
		return true
	})()`, from, from, to, len(from)))
	if err == nil && !done {
		err = fmt.Errorf("the editor shows no %q", from)
	}
	return err
}

// SignIn signs a person in through the page.
func (p *Page) SignIn(name, password string) error {
	if err := p.fillSignIn(name, password); err != nil {
		return err
	}
	return p.Await(`location.pathname !== "/sign-in"`)
}

// SignInOnce tries to sign in and says what the page answers when it does not let
// the person through.
func (p *Page) SignInOnce(name, password string) error {
	if err := p.fillSignIn(name, password); err != nil {
		return err
	}
	if err := p.Await(`location.pathname !== "/sign-in" || document.querySelector("[role=alert]") !== null`); err != nil {
		return err
	}
	if answer, err := p.Text("[role=alert]"); err != nil || answer != "" {
		return errors.Join(errors.New(answer), err)
	}
	return nil
}

func (p *Page) fillSignIn(name, password string) error {
	if err := p.Go("/sign-in"); err != nil {
		return err
	}
	return p.do(chromedp.WaitVisible(chromedp.CSS("input[name=name]")),
		chromedp.SendKeys(chromedp.CSS("input[name=name]"), name),
		chromedp.SendKeys(chromedp.CSS("input[name=password]"), password), chromedp.Click(chromedp.CSS("form button")))
}

// gone tells whether the page that was asked has left.
func gone(err error) bool {
	return err != nil && (strings.Contains(err.Error(), "Cannot find context") ||
		strings.Contains(err.Error(), "target navigated or closed"))
}

// Await waits until an expression of the page is true.
func (p *Page) Await(expression string) error {
	ctx, cancel := context.WithTimeout(p.ctx, Patience)
	defer cancel()
	_, err := chromedp.Run(ctx, chromedp.Poll[bool](expression, chromedp.WithPollingInterval(30*time.Millisecond)))
	for gone(err) {
		_, err = chromedp.Run(ctx, chromedp.Poll[bool](expression, chromedp.WithPollingInterval(30*time.Millisecond)))
	}
	if err != nil {
		text, _ := p.Text("body")
		return fmt.Errorf("waiting for %s: %w; the page says: %s", expression, err, text)
	}
	return nil
}

// AwaitText waits until an element's text holds some words.
func (p *Page) AwaitText(selector, words string) error {
	return p.Await(fmt.Sprintf(`[...document.querySelectorAll(%q)].some(e => e.textContent.includes(%q))`, selector,
		words))
}

// Text is what an element shows.
func (p *Page) Text(selector string) (string, error) {
	return Eval[string](p, fmt.Sprintf(`(document.querySelector(%q) ?? {innerText: ""}).innerText`, selector))
}

// Click clicks an element. A page that moves under the pointer, as one does when an
// answer arrives, lets a click fall beside it: the page says whether the element got it,
// and if not it is clicked again.
func (p *Page) Click(selector string) error {
	for end := time.Now().Add(Patience); ; {
		if err := p.do(chromedp.WaitVisible(chromedp.CSS(selector))); err != nil {
			return fmt.Errorf("there is no %s: %w", selector, err)
		}
		if _, err := Eval[bool](p, fmt.Sprintf(`window.clicked = false; document.addEventListener("click", (e) => {
			window.clicked ||= e.target.closest(%q) !== null
		}, { capture: true }); true`, selector)); err != nil {
			return err
		}
		if err := p.do(chromedp.Click(chromedp.CSS(selector))); err != nil {
			return fmt.Errorf("clicking %s: %w", selector, err)
		}
		// A page that came in its place knows of no click, and came by it.
		if hit, err := Eval[bool](p, `window.clicked ?? true`); gone(err) || hit {
			return nil
		} else if err != nil {
			return err
		}
		if time.Now().After(end) {
			return fmt.Errorf("%s is never where it is clicked", selector)
		}
	}
}

// Fill replaces what a field holds, as a person would.
func (p *Page) Fill(selector, text string) error {
	if err := p.do(chromedp.WaitVisible(chromedp.CSS(selector)), chromedp.Click(chromedp.CSS(selector))); err != nil {
		return fmt.Errorf("there is no %s: %w", selector, err)
	}
	_, err := Eval[bool](p, fmt.Sprintf(`(() => {
		const field = document.querySelector(%q)
		field.focus()
		field.select()
		return document.execCommand("insertText", false, %q)
	})()`, selector, text))
	return err
}

// Write replaces what the editor holds, as a person would: select all, then type.
func (p *Page) Write(program string) error {
	if err := p.do(chromedp.WaitVisible(chromedp.CSS("[data-editor] .cm-content")),
		chromedp.Click(chromedp.CSS("[data-editor] .cm-content"))); err != nil {
		return err
	}
	// One insertion for the whole text: typed newlines would be indented.
	_, err := Eval[bool](p, fmt.Sprintf(`(() => {
		const content = document.querySelector("[data-editor] .cm-content")
		content.focus()
		document.getSelection().selectAllChildren(content)
		return document.execCommand("insertText", false, %q)
	})()`, strings.TrimRight(program, "\n")))
	return err
}

// Picture takes a PNG of the viewport.
func (p *Page) Picture() ([]byte, error) {
	ctx, cancel := context.WithTimeout(p.ctx, Patience)
	defer cancel()
	return chromedp.Run(ctx, chromedp.CaptureScreenshot())
}

// Eval evaluates an expression of the page.
func Eval[T any](p *Page, expression string) (T, error) {
	ctx, cancel := context.WithTimeout(p.ctx, Patience)
	defer cancel()
	return chromedp.Run(ctx, chromedp.Evaluate[T](expression))
}
