// Package e2e drives the real program as its users do: the built binary, a real
// browser, and the simulated laboratory on a socket of its own.
package e2e

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
	_ "modernc.org/sqlite"

	"deftledger/demo"
)

var (
	binary   string
	template string // a demo practice with its keys, made once and copied for each test
	zone     = forenoon(time.Now())
	browser  context.Context
)

func TestMain(m *testing.M) {
	code, err := setUp(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, "e2e:", err)
		code = 1
	}
	os.Exit(code)
}

func setUp(m *testing.M) (int, error) {
	dir, err := os.MkdirTemp("", "deftledger-e2e-")
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(dir)
	if _, err := os.Stat("../ui/dist/index.html"); err != nil {
		return 1, fmt.Errorf("the interface is not built; run make build first: %w", err)
	}
	binary = filepath.Join(dir, "deftledger")
	if out, err := exec.Command("go", "build", "-o", binary, "../cmd/deftledger").CombinedOutput(); err != nil {
		return 1, fmt.Errorf("the binary does not build: %s", out)
	}
	template = filepath.Join(dir, "template")
	p := &program{dir: filepath.Join(template, "data"), keys: filepath.Join(template, "keys"), command: "demo", delay: time.Hour}
	// An address that was free may be taken by somebody else before the laboratory has it.
	for tries := 0; ; tries++ {
		p.lab = freeAddr()
		err := p.start()
		if err == nil {
			break
		}
		if tries == 4 || !strings.Contains(err.Error(), "cannot be used") {
			return 1, err
		}
		if err := os.RemoveAll(template); err != nil {
			return 1, err
		}
		p.out = output{}
	}
	if err := p.prepared(); err != nil {
		return 1, err
	}
	if err := p.stop(); err != nil {
		return 1, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox, chromedp.DisableGPU, chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-background-timer-throttling", true),
		chromedp.Flag("disable-renderer-backgrounding", true), chromedp.Flag("disable-backgrounding-occluded-windows", true),
		chromedp.UserDataDir(filepath.Join(dir, "browser")))
	alloc, cancel := chromedp.NewExecAllocator(context.Background(), options...)
	defer cancel()
	ctx, cancelBrowser := chromedp.NewContext(alloc)
	defer cancelBrowser()
	if err := chromedp.Do(ctx); err != nil {
		return 1, fmt.Errorf("Chromium does not start (apt-get install chromium): %w", err)
	}
	browser = ctx
	return m.Run(), nil
}

func freeAddr() string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		panic(err)
	}
	defer l.Close()
	return l.Addr().String()
}

// program is the application as a process of its own.
type program struct {
	dir, keys, command string
	http, mllp, lab    string
	delay              time.Duration
	cmd                *exec.Cmd
	out                output
	args               []string
	read               *sql.DB // of tests that look beside the program
}

// output is what a running program has said so far.
type output struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (o *output) Write(p []byte) (int, error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.b.Write(p)
}

func (o *output) String() string {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.b.String()
}

var addresses = regexp.MustCompile(`is at http://([0-9.:]+), results are received at ([0-9.:]+)`)

// forenoon is a time zone in which it is about ten in the morning, so that no midnight falls
// into a run: the demo's people are due on days counted from when it was made.
func forenoon(now time.Time) string {
	east := (10-now.UTC().Hour()+12+24)%24 - 12
	return fmt.Sprintf("Etc/GMT%+d", -east) // these names count westward
}

func (p *program) start() error {
	// Where it listens it says itself; started again, it is where it was.
	listen, mllp := p.http, p.mllp
	if p.http == "" {
		listen, mllp = "127.0.0.1:0", "127.0.0.1:0"
	}
	args := append([]string{p.command, "--data", p.dir, "--listen", listen, "--mllp", mllp, "--lab", p.lab, "--zone", zone}, p.args...)
	if p.command == "demo" {
		args = append(args, "--lab-delay", p.delay.String())
	}
	p.cmd = exec.Command(binary, args...)
	p.cmd.Env = append(os.Environ(), "DEFTLEDGER_KEYS="+p.keys, "GOGC=400") // less collecting: the processors are what the tests wait for
	p.cmd.Stdout, p.cmd.Stderr = &p.out, &p.out
	if err := p.cmd.Start(); err != nil {
		return err
	}
	for range 1200 {
		if strings.Contains(p.out.String(), "cannot be used, another program may have it") {
			break // it has ended
		}
		if m := addresses.FindStringSubmatch(p.out.String()); m != nil {
			p.http, p.mllp = m[1], m[2]
		}
		if p.http != "" {
			if r, err := http.Get("http://" + p.http + "/api/session"); err == nil {
				r.Body.Close()
				return nil
			}
		}
		time.Sleep(25 * time.Millisecond)
	}
	_ = p.cmd.Process.Kill()
	_ = p.cmd.Wait()
	return fmt.Errorf("the program did not answer: %s", p.out.String())
}

// prepared waits until what the rules read is laid together, so that no copy of the practice begins with that.
func (p *program) prepared() error {
	db, err := sql.Open("sqlite", "file:"+filepath.Join(p.dir, "deftledger.db")+"?_pragma=busy_timeout(5000)")
	if err != nil {
		return err
	}
	defer db.Close()
	for range 1200 {
		var missing int
		if err := db.QueryRow("SELECT count(*) FROM patient p LEFT JOIN extract x ON x.person_id = p.person_id WHERE coalesce(length(x.body), 0) = 0").Scan(&missing); err != nil || missing == 0 {
			return err
		}
		time.Sleep(25 * time.Millisecond)
	}
	return fmt.Errorf("what the rules read was not laid together: %s", p.out.String())
}

func (p *program) stop() error {
	if err := p.cmd.Process.Signal(os.Interrupt); err != nil {
		return err
	}
	if err := p.cmd.Wait(); err != nil {
		return fmt.Errorf("the program did not end cleanly: %w: %s", err, p.out.String())
	}
	return nil
}

// kill ends it as a power cut would.
func (p *program) kill() {
	_ = p.cmd.Process.Kill()
	_ = p.cmd.Wait()
}

// parallel are the tests that run beside others.
var parallel sync.Map

// practice starts the application on a copy of the demo practice.
func practice(t testing.TB, args ...string) *program {
	t.Helper()
	if t, ok := t.(*testing.T); ok {
		if _, before := parallel.LoadOrStore(t.Name(), true); !before {
			t.Parallel() // each test has a program and a browser window of its own
		}
	}
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS(template)))
	p := &program{dir: filepath.Join(dir, "data"), keys: filepath.Join(dir, "keys"), command: "serve", lab: freeAddr(), args: args}
	require.NoError(t, p.start())
	t.Cleanup(func() {
		if p.cmd.ProcessState == nil {
			p.kill()
		}
		if t.Failed() {
			t.Logf("the program said:\n%s", p.out.String())
		}
	})
	return p
}

// verify runs "deftledger verify" and returns what it says and whether all is well.
func (p *program) verify() (string, bool) {
	cmd := exec.Command(binary, "verify", "--data", p.dir)
	cmd.Env = append(os.Environ(), "DEFTLEDGER_KEYS="+p.keys)
	out, err := cmd.CombinedOutput()
	return string(out), err == nil
}

// db reads the database file beside the running program.
func (p *program) db(t testing.TB) *sql.DB {
	t.Helper()
	if p.read == nil {
		db, err := sql.Open("sqlite", "file:"+filepath.Join(p.dir, "deftledger.db")+"?_pragma=busy_timeout(5000)")
		require.NoError(t, err)
		p.read = db
		t.Cleanup(func() {
			db.Close()
			p.read = nil
		})
	}
	return p.read
}

func (p *program) count(t testing.TB, query string, args ...any) int {
	t.Helper()
	var n int
	require.NoError(t, p.db(t).QueryRow(query, args...).Scan(&n))
	return n
}

// hand is a person at a keyboard and a mouse; it counts what they do. One act is
// a click, a key or chord, or one field entered (getting into the next field with
// Tab belongs to entering it).
type hand struct {
	t    testing.TB
	ctx  context.Context
	p    *program
	Acts int
}

// door opens a fresh browser window on the program, where somebody has to sign in.
func door(t testing.TB, p *program) *hand {
	t.Helper()
	h := sit(t, p)
	h.open("/")
	return h
}

// sit opens a fresh browser window for the program; it is empty until somebody signs in, or a page is opened.
func sit(t testing.TB, p *program) *hand {
	t.Helper()
	ctx, cancel := chromedp.NewContext(browser, chromedp.WithNewBrowserContext())
	t.Cleanup(cancel)
	ctx, cancelTime := context.WithTimeout(ctx, 3*time.Minute)
	t.Cleanup(cancelTime)
	h := &hand{t: t, ctx: ctx, p: p}
	// Several windows are open at a time, and each has the focus of its own person.
	_, err := chromedp.Call(ctx, emulation.SetFocusEmulationEnabled, emulation.SetFocusEmulationEnabledParams{Enabled: true})
	require.NoError(t, err)
	h.do(chromedp.EmulateViewport(1280, 800))
	if slow, err := strconv.ParseFloat(os.Getenv("E2E_SLOWER"), 64); err == nil {
		// For finding tests and screens that only work on a quick machine.
		_, err := chromedp.Call(ctx, emulation.SetCPUThrottlingRate, emulation.SetCPUThrottlingRateParams{Rate: slow})
		require.NoError(t, err)
	}
	t.Cleanup(func() {
		if t.Failed() {
			_ = os.MkdirAll("shots", 0o755)
			if shot, err := chromedp.Run(ctx, chromedp.CaptureScreenshot()); err == nil {
				name := filepath.Join("shots", strings.ReplaceAll(t.Name(), "/", "-")+".png")
				_ = os.WriteFile(name, shot, 0o600)
				t.Logf("the screen is in e2e/%s", name)
			}
		}
	})
	return h
}

func (h *hand) do(steps ...chromedp.Action[chromedp.Void]) {
	h.t.Helper()
	require.NoError(h.t, chromedp.Do(h.ctx, steps...))
}

func eval[T any](h *hand, js string) T {
	h.t.Helper()
	v, err := chromedp.Run(h.ctx, chromedp.Evaluate[T](js, chromedp.EvalAwaitPromise))
	require.NoError(h.t, err, js)
	return v
}

// wait waits until a JavaScript expression holds.
func (h *hand) wait(js, what string) {
	h.t.Helper()
	deadline := time.Now().Add(30 * time.Second)                                      // a loaded machine is slow, and a condition that comes true ends the wait
	for rest := 10 * time.Millisecond; ; rest = min(rest*3/2, 120*time.Millisecond) { // looking costs the page, so what takes long is looked at less often
		ok, err := chromedp.Run(h.ctx, chromedp.Evaluate[bool]("!!("+js+")"))
		if err == nil && ok {
			return
		}
		if time.Now().After(deadline) {
			text, _ := chromedp.Run(h.ctx, chromedp.Evaluate[string]("document.body.innerText"))
			require.FailNow(h.t, "waited in vain for "+what, "the screen says:\n%s", text)
		}
		time.Sleep(rest)
	}
}

// sees waits until the screen shows a text.
func (h *hand) sees(text string) {
	h.t.Helper()
	h.wait(fmt.Sprintf("document.body.innerText.includes(%q)", text), fmt.Sprintf("%q", text))
}

// eventually waits until something is so in the database.
func (h *hand) eventually(so func() bool, what string) {
	h.t.Helper()
	require.Eventually(h.t, so, 10*time.Second, 50*time.Millisecond, what)
}

// seesNot waits until the screen no longer shows a text.
func (h *hand) seesNot(text string) {
	h.t.Helper()
	h.wait(fmt.Sprintf("!document.body.innerText.includes(%q)", text), fmt.Sprintf("the end of %q", text))
}

// focused waits until the field with an accessible name has the focus.
func (h *hand) focused(label string) {
	h.t.Helper()
	h.wait(fmt.Sprintf(`(() => { const a = document.activeElement; return a && ((a.getAttribute("aria-label") || "") + " " + [...(a.labels || [])].map((l) => l.innerText).join(" ")).includes(%q) })()`, label), "the focus in "+label)
}

var named = map[string]string{"Enter": kb.Enter, "Escape": kb.Escape, "Tab": kb.Tab, "ArrowDown": kb.ArrowDown, "ArrowUp": kb.ArrowUp, "ArrowLeft": kb.ArrowLeft, "ArrowRight": kb.ArrowRight,
	"Home": kb.Home, "Delete": kb.Delete}

// press presses one key or chord, such as "d" or "Ctrl+Enter".
func (h *hand) press(chord string) {
	h.t.Helper()
	h.Acts++
	parts := strings.Split(chord, "+")
	key := parts[len(parts)-1]
	if k, ok := named[key]; ok {
		key = k
	}
	var mods []chromedp.Modifier
	for _, m := range parts[:len(parts)-1] {
		switch m {
		case "Ctrl":
			mods = append(mods, chromedp.ModifierCtrl)
		case "Alt":
			mods = append(mods, chromedp.ModifierAlt)
		}
	}
	if len(mods) == 0 && len(key) == 1 {
		// As a real keyboard sends it: a key that the page takes types nothing.
		for _, e := range []input.DispatchKeyEventParams{{Type: input.DispatchKeyEventTypeKeyDown, Key: key, Text: key},
			{Type: input.DispatchKeyEventTypeKeyUp, Key: key}} {
			_, err := chromedp.Call(h.ctx, input.DispatchKeyEvent, e)
			require.NoError(h.t, err)
		}
		return
	}
	h.do(chromedp.KeyEvent(key, chromedp.KeyModifiers(mods...)))
}

// types enters a text into the field that has the focus.
func (h *hand) types(text string) {
	h.t.Helper()
	h.Acts++
	h.do(chromedp.KeyEvent(text))
}

// field goes to the next field and enters a text.
func (h *hand) field(text string) {
	h.t.Helper()
	h.Acts++
	h.do(chromedp.KeyEvent(kb.Tab), chromedp.KeyEvent(text))
}

// click clicks the button, link, choice or words of a record with a text, once it can be used, lies on top
// and no longer moves: as a person would, who aims at what stands still.
func (h *hand) click(text string) {
	h.t.Helper()
	h.Acts++
	js := fmt.Sprintf(`(() => { const e = [...document.querySelectorAll("button, a, summary, label, [role=option], [role=tab], [data-said]")].find((e) => e.innerText && e.innerText.replaceAll("\n", " ").includes(%q) && e.checkVisibility()); if (!e || e.disabled) return null; e.scrollIntoView({block: "nearest"}); const r = e.getBoundingClientRect(); const at = [r.x + r.width / 2, r.y + r.height / 2]; return e.contains(document.elementFromPoint(...at)) ? at : null })()`, text)
	var at, before []float64
	deadline := time.Now().Add(30 * time.Second) // a loaded machine is slow, and a condition that comes true ends the wait
	for len(at) == 0 || !slices.Equal(at, before) {
		before, at = at, eval[[]float64](h, js)
		require.True(h.t, time.Now().Before(deadline), "nothing to click with %q", text)
		time.Sleep(30 * time.Millisecond)
		if slices.Equal(at, before) && len(at) > 0 { // the pointer comes first; what moved meanwhile is aimed at again
			h.do(chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, at[0], at[1]))
			before = eval[[]float64](h, js)
		}
	}
	h.do(chromedp.MouseClickXY(at[0], at[1]))
}

// signIn signs in as one of the demo's people and steps past what is announced.
func (h *hand) signIn(login string) {
	h.t.Helper()
	// As the page does it, without a page: what people type at the door is typed in the tests of the door.
	body, _ := json.Marshal(map[string]string{"login": login, "password": demo.Password})
	r, err := http.Post("http://"+h.p.http+"/api/session", "application/json", bytes.NewReader(body))
	require.NoError(h.t, err)
	defer r.Body.Close()
	require.Less(h.t, r.StatusCode, 300, "%s signs in", login)
	for _, c := range r.Cookies() {
		_, err := chromedp.Call(h.ctx, network.SetCookie, network.SetCookieParams{Name: c.Name, Value: c.Value, URL: "http://" + h.p.http, HTTPOnly: &c.HttpOnly, SameSite: network.CookieSameSiteStrict})
		require.NoError(h.t, err)
	}
	h.open("/")
	h.wait(`document.querySelector("header nav")`, "the bar after signing in")
	if login == "maren" { // a note of hers has waited nine days
		h.sees("has waited 9 days")
		h.press("Alt+u")
		h.sees("visits, ")
	}
}

// startThird starts the third visit of the day, Bram Tollefsen's, from Today.
func (h *hand) startThird() {
	h.t.Helper()
	h.sees("Bram Tollefsen")
	h.press("3")
	h.press("v")
	h.focused("subjective")
}

// secret enters the signing secret in the dialog.
func (h *hand) secret() {
	h.t.Helper()
	h.focused("Signing secret")
	h.types(demo.Secret)
	h.press("Enter")
}

// look keeps a picture of this moment of a flow in the directory named by
// DEFTLEDGER_LOOK; without it, it does nothing.
func look(h *hand, name string) {
	dir := os.Getenv("DEFTLEDGER_LOOK")
	if dir == "" {
		return
	}
	time.Sleep(300 * time.Millisecond)
	require.NoError(h.t, os.WriteFile(filepath.Join(dir, name+".png"), h.screenshot(), 0o644))
}

func (h *hand) screenshot() []byte {
	h.t.Helper()
	shot, err := chromedp.Run(h.ctx, chromedp.CaptureScreenshot())
	require.NoError(h.t, err)
	return shot
}

// axe runs axe-core on the screen and returns the serious and critical findings.
func (h *hand) axe() []string {
	h.t.Helper()
	source, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	require.NoError(h.t, err)
	h.do(evalIsolated(string(source)))
	return eval[[]string](h, `axe.run(document, {resultTypes: ["violations"]}).then((r) => r.violations.filter((v) => v.impact === "serious" || v.impact === "critical").map((v) => v.id + ": " + v.nodes.map((n) => n.html.slice(0, 160) + " " + n.any.map((a) => a.message).join(";")).join(" | ")))`)
}

// evalIsolated runs a script past the page's content security policy, which
// rightly refuses it from within.
func evalIsolated(source string) chromedp.Action[chromedp.Void] {
	return chromedp.Evaluate[chromedp.Void](source)
}

func navigate(url string) chromedp.Action[chromedp.Void] { return chromedp.Navigate(url) }
