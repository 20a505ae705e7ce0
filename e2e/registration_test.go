package e2e

import (
	"fmt"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestSomebodyNewByKeyboard registers somebody from the finder by keys alone: what was typed goes along, a likely double is
// shown while the name is typed, a question is answered, and a visit begins.
func TestSomebodyNewByKeyboard(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("sunniva")
	h.sees("Ottoline Marsh-Adeyemi")
	before := p.count(t, "SELECT count(*) FROM patient")
	h.press("/")
	h.focused("Find anything")
	h.types("Ragna Tveitane")
	h.sees("Register “Ragna Tveitane”")
	h.press("Enter")
	h.wait(`document.querySelector('[data-field="given"]')?.value === "Ragna"`, "what was typed goes along")
	require.Equal(t, "Tveitane", eval[string](h, `document.querySelector('[data-field="family"]').value`))
	require.NotContains(t, eval[string](h, `location.href`), "Ragna", "no name in an address")
	for range 4 { // middle, family, suffix, birth date
		h.press("Tab")
	}
	h.types("2018-02-30")
	h.press("Tab")
	h.types("f")
	h.sees("Nobody registered here is alike.")
	h.press("Ctrl+Enter")
	h.sees("is no day; write the birth date as 1968-03-14")
	h.wait(`document.activeElement?.dataset.field === "birthDate"`, "the field that is wrong")
	h.into("birthDate", "2/3/2018")
	h.press("Ctrl+Enter")
	h.sees("“2/3/2018” is read as 03 Feb 2018?")
	h.wait(`document.activeElement?.innerText === "Yes, keep it so"`, "the answer is at hand")
	h.press("Enter")
	h.seesNot("is read as")
	h.sees("A child without a guardian?")
	require.Equal(t, before, p.count(t, "SELECT count(*) FROM patient"))
	look(h, "registration-asks")
	require.Empty(t, h.axe())
	h.wait(`document.activeElement?.innerText === "Yes, keep it so"`, "the answer is at hand")
	h.press("Enter")
	h.sees("Registered as SK-")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM registration WHERE version = 1 AND content LIKE '%Tveitane%'"))
	h.press("v")
	h.wait(`document.activeElement?.closest('form')?.getAttribute("aria-label") === "A visit now"`, "the reason")
	h.types("Ear pain")
	h.press("Enter")
	h.sees("Ragna Tveitane")
	h.sees("Ear pain")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM visit WHERE reason = 'Ear pain' AND stage = 'arrived'"))
}

// TestARegistrationByMouse changes one with the pointer: a likely double is said to be another, coverages and people are
// added, and what stood before is shown. A changed name is held against the order that is out.
func TestARegistrationByMouse(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("jonah")
	h.sees("Ottoline Marsh-Adeyemi")
	h.click("Somebody new n")
	h.wait(`document.activeElement?.dataset.field === "given"`, "the first field")
	h.types("Ottoline")
	h.into("family", "Marsh Adeyemi")
	h.into("birthDate", "1968-03-14")
	h.sees("The same person?")
	h.sees("SK-20418")
	look(h, "registration-double")
	h.click("This one")
	h.sees("What stood before")
	h.sees("Nothing was changed here yet.")
	h.click("Add a person")
	h.under("Relation", "husband")
	h.under("Name", "Tunde Adeyemi")
	h.click("may decide for the patient")
	h.click("Add a coverage")
	h.under("Payer", "Skerrow Mutual")
	h.under("Number", "SM-4471")
	h.click("Keep Ctrl Enter")
	h.sees("✓ Kept.")
	h.sees("Coverages: not said → primary: Skerrow Mutual SM-4471")
	look(h, "registration")
	require.Empty(t, h.axe())
	h.into("family", "Brenn")
	h.into("reason", "Married.")
	h.click("Keep Ctrl Enter")
	h.sees("Family name: Marsh-Adeyemi → Brenn")
	require.Equal(t, "Brenn", text(t, p, "SELECT family FROM patient WHERE record = 'SK-20418'"))
	require.Equal(t, 3, p.count(t, "SELECT count(*) FROM registration WHERE patient_id = (SELECT id FROM patient WHERE record = 'SK-20418')"))
	h.click("To the chart")
	h.sees("May decide: Tunde Adeyemi, husband")
}

// TestTwoKeepOneRegistration has somebody else keep a change while one is written here: what was written stands, what was
// kept meanwhile is said, and both are there in the end. Own words for a race that begin like a choice stay own words.
func TestTwoKeepOneRegistration(t *testing.T) {
	p := practice(t)
	h, other := sit(t, p), sit(t, p)
	where := "/patients/" + text(t, p, "SELECT id FROM patient WHERE record = 'SK-20418'") + "/registration"
	h.signIn("sunniva")
	h.sees("Ottoline Marsh-Adeyemi")
	h.open(where)
	h.sees("Nothing was changed here yet.")
	h.under("in other words", "Asian Indian")
	h.into("pharmacy", "Quay Street Pharmacy")
	other.signIn("jonah")
	other.sees("Ottoline Marsh-Adeyemi")
	other.open(where)
	other.sees("Nothing was changed here yet.")
	other.under("Remark", "Call before noon.")
	other.press("Ctrl+Enter")
	other.sees("✓ Kept.")
	h.sees("Kept meanwhile by somebody else")
	h.sees("Remark: not said → Call before noon.")
	look(h, "registration-meanwhile")
	require.Empty(t, h.axe())
	require.Equal(t, "Quay Street Pharmacy", eval[string](h, `document.querySelector('[data-field="pharmacy"]').value`))
	h.press("Ctrl+Enter") // what was kept is not overwritten
	h.sees("changed by somebody else meanwhile")
	h.click("Put my changes on it")
	h.seesNot("Kept meanwhile by somebody else")
	h.press("Ctrl+Enter")
	h.sees("✓ Kept.")
	content := text(t, p, "SELECT content FROM registration ORDER BY version DESC LIMIT 1")
	require.Contains(t, content, "Call before noon.")
	require.Contains(t, content, "Quay Street Pharmacy")
	require.Contains(t, content, `"race":["Asian Indian"]`)
}

// TestAnEmptyPracticeFromItsFirstPatient begins with an empty directory: the first people by command, the first patient by
// the front desk, the first visit, intake and note.
func TestAnEmptyPracticeFromItsFirstPatient(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	p := &program{dir: filepath.Join(dir, "data"), keys: filepath.Join(dir, "keys"), command: "serve", lab: freeAddr(), args: []string{"--facility", "HARBOR"}}
	require.NoError(t, p.start())
	t.Cleanup(p.kill)
	require.Contains(t, p.out.String(), "Nobody can sign in yet")
	for login, role := range map[string]string{"ade": "administrator", "sunniva": "front desk", "jonah": "medical assistant", "tobias": "physician"} {
		said, code := p.run(t, "ferry-at-seven\nkittiwake\n", "users", "--data", p.dir, "--add", login, "--given", "First", "--family", login, "--role", role)
		require.Equal(t, 0, code, said)
		require.Contains(t, said, "can sign in as "+login)
	}
	h := sit(t, p)
	h.signIn("sunniva")
	h.sees("No visits today.")
	h.press("n")
	h.wait(`document.activeElement?.dataset.field === "given"`, "the first field")
	h.types("Ása")
	h.into("family", "Hallgrímsdóttir")
	h.into("birthDate", "1958-06-01")
	eval[bool](h, `(() => { const s = document.querySelector('select[data-field="sex"]'); s.focus(); return true; })()`)
	h.types("f")
	h.press("Ctrl+Enter")
	h.sees("Registered as HA-10001.")
	h.press("v")
	h.wait(`document.activeElement?.closest('form')?.getAttribute("aria-label") === "A visit now"`, "the reason")
	h.types("New to the island")
	h.press("Enter")
	h.sees("Ása Hallgrímsdóttir")

	j := sit(t, p)
	j.signIn("jonah")
	j.sees("Ása Hallgrímsdóttir")
	j.press("1")
	j.press("i")
	j.sees("Not asked yet: unknown is not none.")
	m := sit(t, p)
	m.signIn("tobias")
	m.sees("Ása Hallgrímsdóttir")
	m.press("1")
	m.press("v")
	m.sees("New to the island")
	m.wait(`document.querySelector('aside[aria-label="Patient"] h1')?.innerText.includes("Hallgrímsdóttir")`, "the chart")
	said, good := p.verify()
	require.True(t, good, said)
}

// into types in the place of what stands in a field, which a finding of the server would lead to.
func (h *hand) into(name, words string) {
	h.t.Helper()
	h.wait(fmt.Sprintf(`(() => { const f = document.querySelector('[data-field="%s"]'); f?.focus(); f?.select?.(); return f && document.activeElement === f; })()`, name), name)
	h.types(words)
}

// under types in the last field that stands under a label.
func (h *hand) under(label, words string) {
	h.t.Helper()
	h.wait(fmt.Sprintf(`(() => { const f = [...document.querySelectorAll('form[aria-label="Registration"] label')].filter((l) => l.innerText.trim() === "%s").at(-1)?.querySelector("input");
		f?.focus(); f?.select?.(); return f && document.activeElement === f; })()`, label), label)
	h.types(words)
}
