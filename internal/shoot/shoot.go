// Package shoot drives the real interface in Debian's headless Chromium, for
// the browser tests and for the pictures in docs/screenshots.
package shoot

import (
	"fmt"
	"os"
	"os/exec"
	"strings"
	"sync"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/launcher"
	"github.com/go-rod/rod/lib/launcher/flags"
	"github.com/go-rod/rod/lib/proto"
	"github.com/go-rod/rod/lib/utils"
)

// Browser is one headless Chromium.
type Browser struct {
	*rod.Browser
	launch *launcher.Launcher
}

// Open starts Chromium; an error says that it isn't installed.
func Open() (*Browser, error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, fmt.Errorf("shoot: Debian's chromium is not installed: %w", err)
	}
	dir, err := os.MkdirTemp("", "zarf-chromium-")
	if err != nil {
		return nil, err
	}
	l := launcher.New().Bin(path).Headless(true).Leakless(true).UserDataDir(dir)
	for _, f := range []string{"no-sandbox", "disable-gpu", "disable-quic", "no-first-run", "disable-background-networking", "disable-component-update", "disable-sync", "disable-dev-shm-usage", "enable-unsafe-swiftshader"} {
		l.Set(flags.Flag(f))
	}
	l.Set("window-size", "1280,800").Set("force-device-scale-factor", "1").Set("use-angle", "swiftshader")
	url, err := l.Launch()
	if err != nil {
		return nil, fmt.Errorf("shoot: %w", err)
	}
	b := rod.New().ControlURL(url).Sleeper(func() utils.Sleeper { return utils.BackoffSleeper(5*time.Millisecond, 50*time.Millisecond, nil) })
	if err := b.Connect(); err != nil {
		l.Kill()
		return nil, fmt.Errorf("shoot: %w", err)
	}
	return &Browser{b, l}, nil
}

// Close ends the browser and removes its folder.
func (b *Browser) Close() {
	b.Browser.Close()
	b.launch.Kill()
	b.launch.Cleanup()
}

// Page is a page of 1280 x 800 that collects what goes wrong in it.
type Page struct {
	*rod.Page
	mu     sync.Mutex
	faults []string
}

// Page opens an empty page.
func (b *Browser) Page() (*Page, error) {
	p, err := b.Browser.Page(proto.TargetCreateTarget{URL: "about:blank"})
	if err != nil {
		return nil, err
	}
	page := &Page{Page: p}
	if err := page.Scale(1); err != nil {
		return nil, err
	}
	(proto.RuntimeEnable{}).Call(p)
	(proto.LogEnable{}).Call(p)
	go p.EachEvent(
		func(e *proto.RuntimeConsoleAPICalled) {
			if e.Type == proto.RuntimeConsoleAPICalledTypeError {
				var words []string
				for _, a := range e.Args {
					words = append(words, a.Value.String()+a.Description)
				}
				page.fault("console: " + strings.Join(words, " "))
			}
		},
		func(e *proto.RuntimeExceptionThrown) {
			text := e.ExceptionDetails.Text
			if e.ExceptionDetails.Exception != nil {
				text += " " + e.ExceptionDetails.Exception.Description
			}
			page.fault("exception: " + text)
		},
		func(e *proto.LogEntryAdded) {
			if e.Entry.Level == proto.LogLogEntryLevelError {
				page.fault("log: " + e.Entry.Text + " " + e.Entry.URL)
			}
		},
	)()
	return page, nil
}

// Scale draws so many pixels for each of the page's: fewer where nobody looks at them, as
// the processor draws them all.
func (p *Page) Scale(by float64) error {
	return p.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: 1280, Height: 800, DeviceScaleFactor: by})
}

func (p *Page) fault(s string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.faults = append(p.faults, s)
}

// Faults are console errors, exceptions and policy violations so far; reading
// them clears the list.
func (p *Page) Faults() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	f := p.faults
	p.faults = nil
	return f
}

// Go opens an address and waits until its document is ready.
func (p *Page) Go(url string) error {
	if err := p.Navigate(url); err != nil {
		return err
	}
	return p.Until(20*time.Second, `() => document.readyState === 'complete'`)
}

// Until waits for a script to give true.
func (p *Page) Until(d time.Duration, js string, args ...any) error {
	end := time.Now().Add(d)
	for {
		r, err := p.Eval("(...a) => !!("+js+")(...a)", args...)
		if err == nil && r.Value.Bool() {
			return nil
		}
		if time.Now().After(end) {
			return fmt.Errorf("shoot: waited %v for %s (%v)", d, js, err)
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// PNG takes a picture of the page.
func (p *Page) PNG(path string) error {
	b, err := p.Screenshot(false, nil)
	if err != nil {
		return err
	}
	return os.WriteFile(path, b, 0o644)
}
