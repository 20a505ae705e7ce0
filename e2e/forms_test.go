package e2e

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestAnAdministratorLoadsServices reads the clinic's table of services from a file; a
// wrong line is named and nothing is kept of it.
func TestAnAdministratorLoadsServices(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("ade")
	h.sees("sign in")
	h.press("Alt+f")
	h.sees("Choose a form")
	h.click("Services by our licence")
	h.wait(`document.querySelector("textarea")?.value.startsWith("code,words")`, "the table")
	load := func(table string) {
		eval[bool](h, `(() => { const i = document.querySelector("input[type=file]"), d = new DataTransfer(); d.items.add(new File([`+"`"+table+
			"`"+`], "ours.csv")); i.files = d.files; i.dispatchEvent(new Event("change", { bubbles: true })); return true })()`)
		h.sees("ours.csv is in the text")
	}
	load("code,words\\n20600,Our small joint\\n2060,Too short\\n")
	h.press("Ctrl+Enter")
	h.sees("services, line 3")
	load("code,words\\n20600,Our small joint\\n")
	h.press("Alt+p")
	h.sees("1 services of the clinic")
	look(h, "form-services")
	h.press("Ctrl+Enter")
	h.sees("Kept as version 2.")
	h.sees("as shipped")
	require.Empty(t, h.axe())
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM form WHERE kind = 'services'"))
}

// TestFormsAreChangedWithAPreview changes a form; a wrong one is refused with its line.
func TestFormsAreChangedWithAPreview(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("ade")
	h.press("Alt+f")
	h.sees("Choose a form")
	h.click("Sore throat")
	h.wait(`document.querySelector("textarea")?.value.includes("Questionnaire")`, "the text of the form")
	h.click("Preview")
	h.sees("A 46-year-old man with mild sore throat for two days.")
	require.Empty(t, h.axe())
	set := func(js string) {
		eval[bool](h, fmt.Sprintf(`(() => { const t = document.querySelector("textarea"); const set = Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, "value").set; set.call(t, %s); t.dispatchEvent(new Event("input", {bubbles: true})); return true })()`, js))
	}
	set(`t.value.replace('"type": "boolean"', '"type": "riddle"')`)
	h.press("Ctrl+Enter")
	h.sees("questionnaire, line 12")
	set(`t.value.replace('"type": "riddle"', '"type": "boolean"').replace("Can swallow liquids?", "Swallows liquids?")`)
	h.press("Ctrl+Enter")
	h.sees("Kept as version 2.")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM form WHERE kind = 'interview' AND id = 'sore-throat' AND version = 2"))

	// One entry of a form of many is copied under another name, and is there to choose.
	h.click("Kinds of visit as shipped")
	h.sees("Home visit")
	h.named("Copy Home visit")
	h.focused("Name of the copy")
	look(h, "forms-copy")
	require.Empty(t, h.axe())
	h.press("Enter")
	h.sees("The copy is in the text, not kept yet")
	h.wait(`document.querySelector("textarea").value.includes("{id: home-own, name: Home visit our way,")`, "the copy in the text")
	h.press("Ctrl+Enter")
	h.sees("Kept as version 2.")
	h.sees("Home visit our way")
}
