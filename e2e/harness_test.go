// Package e2e drives the real program in a real browser: its own MariaDB, its stand-in channels, headless Chromium.
package e2e

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/launcher"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/require"

	"dogbane/internal/demo"
)

// browser is one Chromium for the whole package.
var browser *rod.Browser

// binary is the program under test.
var binary string

func TestMain(m *testing.M) { os.Exit(runAll(m)) }

func runAll(m *testing.M) int {
	dir, err := os.MkdirTemp("", "dogbane-e2e")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(dir)
	binary = filepath.Join(dir, "dogbane")
	if out, err := exec.Command("go", "build", "-o", binary, "../cmd/dogbane").CombinedOutput(); err != nil {
		panic(fmt.Sprintf("build the program: %v\n%s", err, out))
	}
	l := launcher.New().Bin("/usr/bin/chromium").Leakless(false).NoSandbox(true).UserDataDir(filepath.Join(dir,
		"browser")).
		Set("disable-gpu").Set("disable-dev-shm-usage").Set("disable-quic").Set("no-first-run").
		Set("disable-background-networking").Set("disable-component-update").Set("disable-sync")
	defer l.Kill()
	browser = rod.New().ControlURL(l.MustLaunch()).MustConnect()
	defer browser.MustClose()
	defer func() {
		if largeProgram != nil {
			largeProgram.stop()
			_ = os.RemoveAll(largeProgram.data)
		}
	}()
	return m.Run()
}

// program is a running Dogbane with data of its own.
type program struct {
	cmd       *exec.Cmd
	data      string
	url, shop string
	password  string // of the administrator, where one was made
	mu        sync.Mutex
	log       strings.Builder
}

var (
	addressPattern  = regexp.MustCompile(`(ready|web shop):\s+(http://\S+)`)
	passwordPattern = regexp.MustCompile(`Sign in as admin with the password (\S+)`)
)

// start runs the program with the demo and waits until it says that it is ready.
func start(t testing.TB, data string, args ...string) *program {
	t.Helper()
	return startIn(t, nil, data, args...)
}

// startIn starts the program with variables of its environment.
func startIn(t testing.TB, env []string, data string, args ...string) *program {
	t.Helper()
	p := &program{data: data}
	p.cmd = exec.Command(binary, append([]string{"serve", "--data", data, "--listen", "127.0.0.1:0", "--web",
		"../web/dist"}, args...)...)
	p.cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM}
	p.cmd.Env = append(os.Environ(), env...)
	out, err := p.cmd.StdoutPipe()
	require.NoError(t, err)
	p.cmd.Stderr = writer(func(b []byte) { p.mu.Lock(); p.log.Write(b); p.mu.Unlock() })
	require.NoError(t, p.cmd.Start())
	t.Cleanup(p.stop)
	lines := make(chan string)
	go func() {
		for s := bufio.NewScanner(out); s.Scan(); {
			lines <- s.Text()
		}
		close(lines)
	}()
	deadline := time.After(8 * time.Minute) // a demo of 100,000 products is published to every channel first
	for p.url == "" || p.shop == "" && !slices.Contains(args, "--empty") {
		select {
		case line, more := <-lines:
			if !more {
				t.Fatalf("the program ended while starting:\n%s", p.stderr())
			}
			if m := passwordPattern.FindStringSubmatch(line); m != nil {
				p.password = m[1]
			}
			if m := addressPattern.FindStringSubmatch(line); m != nil {
				if m[1] == "ready" {
					p.url = strings.TrimSuffix(m[2], "/")
				} else {
					p.shop = strings.TrimSuffix(m[2], "/")
				}
			}
		case <-deadline:
			t.Fatalf("the program is not ready:\n%s", p.stderr())
		}
	}
	go func() {
		for range lines {
		}
	}()
	return p
}

type writer func([]byte)

func (w writer) Write(b []byte) (int, error) { w(b); return len(b), nil }

func (p *program) stderr() string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.log.String()
}

// stop ends the program as Ctrl+C would, once.
func (p *program) stop() {
	if p.cmd.ProcessState == nil {
		_ = p.cmd.Process.Signal(syscall.SIGINT)
		_ = p.cmd.Wait()
	}
}

// unpin takes the demo's checks away, for what is meant to move their prices.
func (p *program) unpin(t testing.TB) {
	t.Helper()
	client := p.client(t, "wout")
	var pinned struct{ Checks []struct{ ID int64 } }
	_, list := ask(t, client, "GET", p.url+"/api/checks", nil)
	require.NoError(t, json.Unmarshal([]byte(list), &pinned))
	for _, c := range pinned.Checks {
		status, text := ask(t, client, "DELETE", fmt.Sprintf("%s/api/checks/%d", p.url, c.ID), nil)
		require.Equal(t, http.StatusNoContent, status, text)
	}
}

// page is a browser page with a patience of its own and short ways to say what a person does.
type page struct {
	*rod.Page
	t testing.TB
}

const patience = 20 * time.Second

// client is an HTTP client signed in as one of the demo's people.
func (p *program) client(t testing.TB, name string) *http.Client {
	t.Helper()
	return p.signedIn(t, name, demo.Password)
}

func (p *program) signedIn(t testing.TB, name, password string) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	c := &http.Client{Jar: jar}
	status, text := ask(t, c, "POST", p.url+"/api/session", map[string]string{"name": name, "password": password})
	require.Equal(t, http.StatusOK, status, text)
	return c
}

// open shows an address at 1280×800 to the administrator, who may do everything.
func (p *program) open(t testing.TB, path string) *page {
	t.Helper()
	return p.openAs(t, "wout", path)
}

// openAs shows an address to one of the demo's people; "" is somebody who has not signed in.
func (p *program) openAs(t testing.TB, name, path string) *page {
	t.Helper()
	if name == "" {
		return p.openFor(t, nil, path)
	}
	return p.openFor(t, p.client(t, name), path)
}

// openFor shows a page to whom a client is signed in as; nil: nobody.
func (p *program) openFor(t testing.TB, c *http.Client, path string) *page {
	t.Helper()
	context, err := browser.Incognito()
	require.NoError(t, err)
	tab := context.MustPage("").Timeout(15 * time.Minute)
	t.Cleanup(func() { _ = context.Close() })
	if c != nil {
		address, err := url.Parse(p.url)
		require.NoError(t, err)
		for _, c := range c.Jar.Cookies(address) {
			require.NoError(t, tab.SetCookies([]*proto.NetworkCookieParam{{Name: c.Name, Value: c.Value, URL: p.url}}))
		}
	}
	tab.MustSetViewport(1280, 800, 1, false)
	pg := &page{tab, t}
	pg.show(p.url + path)
	return pg
}

func (p *page) show(url string) {
	p.t.Helper()
	require.NoError(p.t, p.Navigate(url))
	require.NoError(p.t, p.WaitLoad())
}

// find waits for the element that a selector and, if given, a text name.
func (p *page) find(selector string, text ...string) *rod.Element {
	p.t.Helper()
	var el *rod.Element
	var err error
	for until := time.Now().Add(patience); ; time.Sleep(20 * time.Millisecond) {
		if len(text) > 0 {
			el, err = p.Page.Timeout(patience).ElementR(selector, text[0])
		} else {
			el, err = p.Page.Timeout(patience).Element(selector)
		}
		if err == nil {
			return el.CancelTimeout()
		}
		// A page that is just being replaced is looked at again.
		if errors.Is(err, context.DeadlineExceeded) || time.Now().After(until) {
			p.fail(fmt.Sprintf("no %s %q on the page", selector, text))
		}
	}
}

// labelled finds a control by its accessible label.
func (p *page) labelled(label string) *rod.Element {
	p.t.Helper()
	return p.find(fmt.Sprintf("[aria-label=%q]", label))
}

func (p *page) click(selector string, text ...string) {
	p.t.Helper()
	el := p.find(selector, text...)
	// As a person does, it waits for a button that cannot be pressed yet.
	require.NoError(p.t, el.Timeout(patience).WaitEnabled(), "%s %q stays disabled", selector, text)
	require.NoError(p.t, el.Timeout(patience).Click(proto.InputMouseButtonLeft, 1), "click %s %q", selector, text)
}

// typeInto replaces what a field holds.
func (p *page) typeInto(el *rod.Element, text string) {
	p.t.Helper()
	require.NoError(p.t, el.Timeout(patience).SelectAllText())
	require.NoError(p.t, el.Timeout(patience).Input(text))
}

// choose sets a select to the option with a value.
func (p *page) choose(label, value string) {
	p.t.Helper()
	el := p.labelled(label)
	option := fmt.Sprintf("option[value=%q]", value)
	p.find(fmt.Sprintf("[aria-label=%q] %s", label, option))
	require.NoError(p.t, el.Timeout(patience).Select([]string{option}, true, rod.SelectorTypeCSSSector))
}

// key presses a key.
func (p *page) key(k input.Key) {
	p.t.Helper()
	require.NoError(p.t, p.Keyboard.Type(k))
}

// chord presses a key while another is held.
func (p *page) chord(held, k input.Key) {
	p.t.Helper()
	require.NoError(p.t, p.Keyboard.Press(held))
	require.NoError(p.t, p.Keyboard.Type(k))
	require.NoError(p.t, p.Keyboard.Release(held))
}

// paste puts a text with tabs into a field at once, as pasting does.
func (p *page) paste(label, text string) {
	p.t.Helper()
	el := p.labelled(label)
	require.NoError(p.t, el.SelectAllText())
	require.NoError(p.t, el.Focus())
	require.NoError(p.t, p.InsertText(text))
}

// texts are the texts of all elements that fit and hold a text.
func (p *page) texts(selector, holding string) (list []string) {
	els, err := p.Elements(selector)
	require.NoError(p.t, err)
	for _, el := range els {
		if text, err := el.Text(); err == nil && strings.Contains(text, holding) {
			list = append(list, text)
		}
	}
	return list
}

func pointOf(x, y float64) proto.Point { return proto.Point{X: x, Y: y} }

// eventually waits until what the page says holds.
func (p *page) eventually(what string, holds func() bool) {
	p.t.Helper()
	for end := time.Now().Add(patience); time.Now().Before(end); time.Sleep(40 * time.Millisecond) {
		if holds() {
			return
		}
	}
	p.fail("never: " + what)
}

// text is the text of the first element that fits, or "".
func (p *page) text(selector string) string {
	els, err := p.Elements(selector)
	if err != nil || len(els) == 0 {
		return ""
	}
	text, err := els[0].Text()
	if err != nil {
		return ""
	}
	return text
}

func (p *page) says(text string) {
	p.t.Helper()
	p.eventually("the page says "+text, func() bool { return strings.Contains(p.text("body"), text) })
}

func (p *page) fail(why string) {
	p.t.Helper()
	if dir := os.Getenv("DOGBANE_FAILED_SHOTS"); dir != "" {
		if png, err := p.Screenshot(false, nil); err == nil {
			_ = os.WriteFile(filepath.Join(dir, strings.ReplaceAll(p.t.Name(), "/", "-")+".png"), png, 0o644)
		}
	}
	p.t.Fatalf("%s\nThe page says:\n%s", why, p.text("body"))
}

// version is that of the saved book.
func (p *program) version(t testing.TB) int64 {
	t.Helper()
	resp, err := p.client(t, "wout").Get(p.url + "/api/state")
	require.NoError(t, err)
	defer resp.Body.Close()
	var state struct{ Version int64 }
	require.NoError(t, json.NewDecoder(resp.Body).Decode(&state))
	return state.Version
}

// sendJSON sends a request with a body and gives the status.
func sendJSON(t testing.TB, c *http.Client, method, url, body string) int {
	t.Helper()
	req, err := http.NewRequest(method, url, strings.NewReader(body))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/json")
	resp, err := c.Do(req)
	require.NoError(t, err)
	bodyOf(t, resp)
	return resp.StatusCode
}

// getJSON reads what an address answers.
func getJSON(t testing.TB, c *http.Client, url string, into any) {
	t.Helper()
	resp, err := c.Get(url)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal([]byte(bodyOf(t, resp)), into))
}

// bodyOf is the text of an answer.
func bodyOf(t testing.TB, resp *http.Response) string {
	t.Helper()
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return string(text)
}
