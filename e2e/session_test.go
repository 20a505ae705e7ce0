package e2e

import (
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"deftledger/demo"
)

// TestTheDoor looks at the application from outside, as an attacker would.
func TestTheDoor(t *testing.T) {
	p := practice(t)
	get := func(path string, headers ...string) *http.Response {
		r, err := http.NewRequest(http.MethodGet, "http://"+p.http+path, nil)
		require.NoError(t, err)
		for i := 0; i < len(headers); i += 2 {
			r.Header.Set(headers[i], headers[i+1])
		}
		a, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		a.Body.Close()
		return a
	}
	page := get("/desk")
	require.Equal(t, 200, page.StatusCode)
	policy := page.Header.Get("Content-Security-Policy")
	require.Contains(t, policy, "default-src 'none'")
	require.Contains(t, policy, "script-src 'self';")
	require.NotContains(t, policy, "unsafe")
	for path, want := range map[string]int{"/api/day": 401, "/api/desk": 401, "/api/nonsense": 404, "/assets/nonsense.js": 404,
		"/api/patients/x": 401, "/api/notes/x/pdf": 401, "/api/events": 401, "/api/codes?q=gout": 401} {
		a := get(path)
		require.Equal(t, want, a.StatusCode, path)
		if strings.HasPrefix(path, "/api/") {
			require.Equal(t, "application/problem+json", a.Header.Get("Content-Type"), path)
		}
	}
	cross, err := http.NewRequest(http.MethodPost, "http://"+p.http+"/api/session", strings.NewReader(`{"login":"maren","password":"x"}`))
	require.NoError(t, err)
	cross.Header.Set("Origin", "http://elsewhere.example")
	cross.Header.Set("Content-Type", "application/json")
	a, err := http.DefaultClient.Do(cross)
	require.NoError(t, err)
	a.Body.Close()
	require.Equal(t, 403, a.StatusCode, "a write from another site is refused")

	maren := signedIn(t, p, "maren")
	err = maren.call(http.MethodPut, "/api/notes/x/parts/nonsense", map[string]any{"text": "very private words", "base": "no number",
		"saveId": "1"}, nil)
	require.ErrorContains(t, err, "answered 422")
	require.NotContains(t, err.Error(), "private", "what was sent is not echoed")
	require.ErrorContains(t, maren.call(http.MethodPost, "/api/find", map[string]string{"query": strings.Repeat("x", 300)}, nil),
		"answered 422")
	require.ErrorContains(t, maren.call(http.MethodGet, "/api/patients/nobody", nil, nil), "There is no such patient")
	require.NotContains(t, p.out.String(), "private")
}

// TestTheScreenLocks locks after idling and unlocks without losing work.
func TestTheScreenLocks(t *testing.T) {
	p := practice(t, "--idle", "9s") // longer than a busy machine takes to unlock
	h := sit(t, p)
	h.signIn("maren")
	h.startThird()
	h.types("Half a thought")
	h.sees("the screen is locked")
	require.False(t, eval[bool](h, `document.documentElement.outerHTML.includes("Half a thought")`), "nothing of the chart is in the page while locked")
	require.False(t, eval[bool](h, `document.documentElement.outerHTML.includes("Tollefsen")`))
	h.focused("Password")
	h.types("wrong")
	h.press("Enter")
	h.sees("That is not right")
	h.types(demo.Password)
	h.press("Enter")
	h.sees("Half a thought")
}

// TestRolesOnTheScreen shows each role what it may do, and nothing more.
func TestRolesOnTheScreen(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("sunniva")
	h.sees("Bram Tollefsen")
	require.Zero(t, eval[int](h, `[...document.querySelectorAll("tbody a, tbody button")].filter((a) => !a.getAttribute("href")?.endsWith("/registration")).length`),
		"the front desk opens registrations and no chart")
	other := sit(t, p)
	other.signIn("ade")
	other.sees("sign in")
	require.Contains(t, eval[string](other, "location.pathname"), "/audit")
	nurse := sit(t, p)
	nurse.signIn("petra")
	nurse.sees("Bram Tollefsen")
	nurse.press("3")
	nurse.press("v")
	nurse.focused("subjective")
	require.False(t, eval[bool](nurse, `document.body.innerText.includes("Sign the note")`))
}

func TestOneLetterKeysCanBeSwitchedOff(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.sees("Bram Tollefsen")
	h.press("?")
	h.click("One-letter keys work")
	h.wait(`!document.querySelector("[role=dialog] input").checked`, "the box being cleared")
	h.press("Escape")
	h.seesNot("Keys of this screen")
	h.press("k")
	h.press("?")
	h.sees("Keys of this screen")
	require.Equal(t, "/", eval[string](h, "location.pathname"), "k did nothing, ? still works")
	require.Equal(t, 0, p.count(t, "SELECT single_keys FROM staff WHERE login = 'maren'"))
}

// TestSevenDaysLeadStraightToTheNote signs in with a note nine days old.
func TestSevenDaysLeadStraightToTheNote(t *testing.T) {
	p := practice(t)
	h := door(t, p)
	h.focused("Name")
	h.types("maren")
	h.field("ferry-at-seven")
	h.press("Enter")
	h.sees("this note has waited 9 days for your signature")
	h.wait(`document.querySelector("aside h1")?.innerText.includes("Varga")`, "the note that waits")
	require.Empty(t, h.axe())
	h.press("Alt+u")
	h.sees("visits, ")
	h.seesNot("has waited 9 days")
	other := sit(t, p)
	other.signIn("tobias")
	other.sees("visits, ")
	other.seesNot("has waited")
}

// tab opens another tab of the same browser.
func (h *hand) tab() *hand {
	h.t.Helper()
	ctx, cancel := chromedp.NewContext(h.ctx)
	h.t.Cleanup(cancel)
	o := &hand{t: h.t, ctx: ctx, p: h.p}
	_, err := chromedp.Call(ctx, emulation.SetFocusEmulationEnabled, emulation.SetFocusEmulationEnabledParams{Enabled: true})
	require.NoError(h.t, err)
	o.do(chromedp.EmulateViewport(1280, 800), chromedp.Navigate("http://"+h.p.http))
	return o
}

// TestTheLockCoversEveryTab: locked in one tab, all are; unlocked in one, all are; and another person who signs in
// finds nothing of the former.
func TestTheLockCoversEveryTab(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.startThird()
	h.types("Half a thought")
	h.sees("Saved")
	other := h.tab()
	other.sees("has waited 9 days")
	other.press("Alt+u")
	other.sees("visits, ")
	other.press("Alt+l")
	other.sees("the screen is locked")
	h.sees("the screen is locked")
	require.False(t, eval[bool](h, `document.documentElement.outerHTML.includes("Tollefsen")`), "nothing is left in the page")
	require.False(t, eval[bool](other, `document.documentElement.outerHTML.includes("Tollefsen")`))
	h.types(demo.Password)
	h.press("Enter")
	h.sees("Half a thought")
	other.sees("visits, ")

	other.press("Alt+l")
	h.sees("the screen is locked")
	h.click("Sign in as somebody else")
	h.sees("Sign in")
	other.sees("Sign in")
	h.signIn("sunniva")
	h.sees("Bram Tollefsen") // the front desk's day
	require.Equal(t, "/", eval[string](h, "location.pathname"), "and not the page of the one before")
	require.False(t, eval[bool](h, `document.documentElement.outerHTML.includes("Half a thought")`))
}

// TestAPersonLooksAfterTheirAccount changes the password on the screen and signs out elsewhere.
func TestAPersonLooksAfterTheirAccount(t *testing.T) {
	p := practice(t)
	other := sit(t, p)
	other.signIn("petra")
	other.sees("visits, ")
	h := sit(t, p)
	h.signIn("petra")
	h.sees("visits, ")
	h.click("P. ")
	h.click("My password and sign-ins")
	h.sees("Where I am signed in")
	h.sees("Sign out there")
	require.Empty(t, h.axe())
	look(h, "account")
	h.click("Password of now")
	h.types("guess")
	h.click("New password, at least 10 characters")
	h.types("a-new-password")
	h.press("Enter")
	h.sees("That is not right")
	h.click("Password of now")
	h.press("Ctrl+a")
	h.types(demo.Password)
	h.press("Enter")
	h.sees("You are signed out everywhere else")
	h.seesNot("Sign out there")
	other.press("r")
	other.do(chromedp.Reload())
	other.sees("Sign in")
	said, code := p.run(t, "", "users", "--data", p.dir, "--deactivate", "petra")
	require.Equal(t, 0, code, said)
	h.do(chromedp.Reload())
	h.sees("Sign in")
	signedIn(t, p, "jonah")
	said, code = p.run(t, "", "users", "--data", p.dir, "--sessions")
	require.Equal(t, 0, code)
	require.Contains(t, said, "not let in")
	require.Contains(t, said, "signed in since")
}
