package e2e

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/standin"
)

// The round by keys: declined with its reason, taken back, a test ordered through the pad, a questionnaire answered,
// and left; what was decided stands in the note.
func TestTheRoundByKeys(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.chartOf("SK-21177")
	h.press("r")
	h.sees("Reminder round")
	h.sees("Colorectal cancer screening")
	h.sees("USPSTF 2021")
	require.Empty(t, h.axe())
	look(h, "round")

	h.press("4") // declined
	h.named("Why")
	h.types("wants to think it over")
	h.sees("Colorectal cancer screening: declined: wants to think it over.")
	h.press("Enter")
	h.sees("declined until")
	h.sees("1 of")
	require.Equal(t, "declined", text(t, p, "SELECT says FROM care_entry WHERE name = 'colorectal-cancer' AND back_at = ''"))

	// The next is at hand: a questionnaire, a digit an answer.
	h.wait(`document.querySelector('section[aria-label="Alcohol asked about"]')`, "the next reminder at hand")
	h.press("1")
	h.sees("How often do you have a drink containing alcohol?")
	h.wait(`document.activeElement?.dataset?.question === "1"`, "the first question having the focus")
	h.press("3")
	h.wait(`document.activeElement?.dataset?.question === "2"`, "the second")
	h.press("1")
	h.wait(`document.activeElement?.dataset?.question === "3"`, "the third")
	h.press("1")
	look(h, "round-questionnaire")
	h.press("Enter")
	h.wait(`document.querySelector('section[aria-label="Depression asked about"]')`, "the next reminder at hand")
	require.Equal(t, "2", text(t, p, "SELECT total FROM screen_response WHERE form = 'audit-c'"))

	// Skipped, and the test after it ordered: what it asks is asked on the pad.
	h.press("s")
	h.wait(`document.querySelector('section[aria-label="HIV test, once"]')`, "the one after it")
	h.press("3")
	h.press("Enter")
	h.sees("Sign one order")
	h.press("o")
	h.sees("HIV antigen and antibody")
	h.sees("Z11.4")
	h.press("Escape")
	h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the pad being left")

	// Taken back, with both to be read.
	h.click("Colorectal cancer screening")
	h.sees("Take it back")
	h.click("Take it back")
	h.wait(`document.querySelector('section[aria-label="Colorectal cancer screening"]')?.innerText.includes("overdue")`, "it being due again")
	h.sees("taken back")
	require.Equal(t, "1", text(t, p, "SELECT count(*) FROM care_entry WHERE name = 'colorectal-cancer' AND back_at <> ''"))
	h.press("Alt+u")
	h.sees("Round:")
}

// An answer that speaks of self-harm interrupts at once, and is a line on the desk until somebody spoke with the patient.
func TestAnAnswerOfSelfHarmInterrupts(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.open("/patients/" + patientOf(t, p, "SK-21177") + "/round")
	h.click("Depression asked about")
	h.wait(`document.querySelector('section[aria-label="Depression asked about"]')`, "it being at hand")
	h.click("Done now")
	h.click("PHQ-9")
	h.sees("Thoughts that you would be better off dead")
	h.wait(`document.querySelector('[data-question="9"]')`, "the last question")
	h.wait(`(() => { for (const q of document.querySelectorAll('[data-question]')) q.querySelectorAll('button')[q.dataset.question === "9" ? 1 : 0]?.click(); return true; })()`, "every question answered by mouse")
	h.click("Keep it and next")
	h.sees("An answer speaks of self-harm")
	h.sees("988")
	require.Empty(t, h.axe())
	look(h, "self-harm")
	h.click("It stays open, and I go on speaking with the patient")
	h.open("/desk")
	h.sees("thoughts of self-harm")
	h.click("PHQ-9: Several days")
	h.sees("What the patient said, and what was done")
	require.Equal(t, "1", text(t, p, "SELECT count(*) FROM line WHERE kind = 'thoughts of self-harm' AND closed_at = ''"))
	h.wait(`(document.querySelector("main textarea").focus(), true)`, "the field")
	h.types("No plan, no means. Safety plan made; seen again on Thursday.")
	h.click("I spoke with the patient: close it")
	h.wait(`!document.body.innerText.includes("PHQ-9: Several days")`, "the line being closed")
	require.Equal(t, "0", text(t, p, "SELECT count(*) FROM line WHERE kind = 'thoughts of self-harm' AND closed_at = ''"))
}

// The rulebook: a rule is tried over the practice before it is switched off, a wrong one is refused with its line.
func TestTheRulebookIsTriedBeforeItIsSet(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.open("/rulebook?rule=colorectal-cancer")
	h.sees("Age at which it begins")
	h.press("y")
	h.sees("would stop being due")
	require.Empty(t, h.axe())
	look(h, "rulebook")
	require.Equal(t, "0", text(t, p, "SELECT count(*) FROM rule_setting"), "a try changes nothing")
	h.click("Switch it off")
	h.sees("set by Maren Oduya")
	h.press("n")
	h.wait(`document.activeElement?.tagName === "TEXTAREA"`, "the field having the focus")
	h.types("id: try\ncolour: red\n")
	h.click("Check it and take it in")
	h.sees("Line 2: colour: there is no such field")
	h.open("/practice")
	h.sees("How each rule stands")
	h.sees("Influenza vaccine")
	require.Empty(t, h.axe())
	look(h, "who-is-due")
	h.click("Shingles vaccine")
	h.sees("Recall list")
	require.NotContains(t, text(t, p, "SELECT group_concat(act) FROM audit"), "Brekken", "no name in the audit")
	h.press("m")
	h.sees("How each measure stands")
	h.click("Hypertension, blood pressure below 140/90")
	h.sees("in whom it is missed, ordered or not known")
	require.Empty(t, h.axe())
	look(h, "measures")
}

// Whom a run found is written to in two acts; each stays on the desk until it is said what came of it.
func TestWhoIsDueIsWrittenTo(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.open("/practice")
	h.sees("How each rule stands")
	h.press("w")
	h.sees("Not written to")
	require.Empty(t, h.axe())
	look(h, "write-to-them")
	require.Equal(t, "0", text(t, p, "SELECT count(*) FROM line WHERE kind = 'reminder by mail'"))
	h.press("Enter")
	h.sees("Each stays an open line of yours")
	open := text(t, p, "SELECT count(*) FROM line WHERE kind = 'reminder by mail' AND closed_at = ''")
	require.NotEqual(t, "0", open)
	require.Equal(t, "0", text(t, p, "SELECT count(*) FROM inquiry i JOIN registration r ON r.patient_id = i.patient_id WHERE i.kind = 'reminder by mail' AND (r.content ->> '$.died' <> '' OR r.content ->> '$.noReminders')"))
	first := text(t, p, "SELECT subject FROM line WHERE kind = 'reminder by mail' ORDER BY id LIMIT 1")
	h.open("/desk/reminded/" + first)
	h.sees("How it stands today")
	require.Empty(t, h.axe())
	look(h, "reminded")
	h.press("1")
	h.press("Enter")
	h.wait(`!location.pathname.includes("`+first+`")`, "the next line")
	require.Equal(t, "booked", text(t, p, "SELECT state FROM inquiry WHERE kind = 'reminder by mail' AND state <> 'open'"))
}

// answeredBefore opens the visit of Bram Tollefsen, whose answers from the portal are there.
func answeredBefore(t *testing.T) (h *hand, p *program, visit string) {
	_, flags := elsewhere(t)
	p = practice(t, flags...)
	jonah := signedIn(t, p, "jonah")
	h = sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	visit = text(t, p, "SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.family = 'Tollefsen'")
	require.NoError(t, jonah.call(http.MethodPost, "/api/visits/"+visit+"/fetch", map[string]any{}, nil))
	return h, p, visit
}

// Three reminders settled in one round: a questionnaire answered before the visit confirmed, a test ordered, one declined
// with its reason.
func TestEffortOfARound(t *testing.T) {
	h, p, _ := answeredBefore(t)
	require.Equal(t, "1", text(t, p, "SELECT count(*) FROM incoming_entry WHERE list = 'screen'"))
	h.effort("E8", 9, func() {
		h.press("Alt+z")
		h.wait(`document.querySelector('section[aria-label="Depression asked about"]')`, "what only has to be confirmed at hand")
		h.sees("PHQ-2: 1, below the limit of 3")
		h.press("c")
		h.wait(`document.querySelector('section[aria-label="Blood pressure, yearly"]')`, "the next")
		h.press("s") // it is measured at the intake
		h.wait(`document.querySelector('section[aria-label="Colorectal cancer screening"]')`, "the next")
		h.press("3") // order
		h.press("Enter")
		h.wait(`document.querySelector('section[aria-label="Alcohol asked about"]')`, "the next")
		h.press("4") // declined
		h.named("Why")
		h.types("not today")
		look(h, "round-beforehand")
		h.press("Enter")
		h.sees("declined until")
	})
	require.Equal(t, "1 phq-2", text(t, p, "SELECT total || ' ' || form FROM screen_response"))
	h.sees("3 of")
	require.Empty(t, h.axe())
}

// A vaccine given is recorded in the round itself, once, with the checks of the intake: what is unusual is asked before it is kept.
func TestAVaccineIsGivenInTheRound(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("jonah")
	visit := text(t, p, "SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.family = 'Tollefsen'")
	patient := text(t, p, "SELECT patient_id FROM visit WHERE id = '"+visit+"'")
	h.open("/patients/" + patient + "/round?visit=" + visit)
	h.sees("Reminder round")
	h.click("Influenza vaccine")
	h.wait(`document.querySelector('section[aria-label="Influenza vaccine"]')`, "it at hand")
	h.press("1")
	h.sees("Record as given")
	look(h, "round-vaccine")
	require.Empty(t, h.axe())
	h.press("ArrowDown") // the site has the focus
	for range 2 {
		h.press("Tab")
	}
	for _, value := range []string{"Gannet Biologics", "GX-4471", "2027-06-30", "2026-08-01"} {
		h.types(value)
		h.press("Tab")
	}
	h.press("Enter")
	h.wait(`document.querySelector('section[aria-label="Influenza vaccine"]') === null`, "the next one at hand")
	require.Equal(t, "140 GX-4471", text(t, p, "SELECT cvx || ' ' || lot FROM immunization WHERE patient_id = '"+patient+"'"))
	h.sees("satisfied until")
}

// Counselling by its form: answered by keys, and the next time brought forward question by question.
func TestCounsellingIsBroughtForward(t *testing.T) {
	p := practice(t)
	maren := signedIn(t, p, "maren")
	h := sit(t, p)
	h.signIn("maren")
	patient := text(t, p, "SELECT id FROM patient WHERE family = 'Vestergren'")
	require.NoError(t, maren.call(http.MethodPost, "/api/patients/"+patient+"/questionnaires/counsel-diet",
		map[string]any{"id": "counselled", "answers": map[string]string{"2": "90", "4": "yes"}}, nil))
	h.open("/patients/" + patient + "/round")
	h.sees("Reminder round")
	h.click("Diet and movement with a raised risk of heart disease")
	h.press("1")
	h.sees("Still so: 90")
	require.Empty(t, h.axe())
	h.wait(`document.activeElement?.closest("[data-question]")?.dataset.question === "1"`, "the first question having the focus")
	h.types("4")
	h.press("Tab")
	h.press("=")
	look(h, "counselling")
	h.press("Enter")
	h.wait(`document.querySelector('section[aria-label^="Diet and movement"]') === null`, "the next one at hand")
	require.Equal(t, `{"1":"4","2":"90"}`, text(t, p, "SELECT answers FROM screen_response WHERE id <> 'counselled' AND form = 'counsel-diet'"), "what nobody looked at is not taken over")
}

// The same round by mouse.
func TestARoundByMouse(t *testing.T) {
	h, p, visit := answeredBefore(t)
	h.open("/patients/" + text(t, p, "SELECT patient_id FROM visit WHERE id = '"+visit+"'") + "/round?visit=" + visit)
	h.sees("PHQ-2: 1, below the limit of 3")
	h.click("Confirm")
	h.wait(`document.querySelector('section[aria-label="Blood pressure, yearly"]')`, "the next")
	h.click("Skip s")
	h.wait(`document.querySelector('section[aria-label="Colorectal cancer screening"]')`, "the next")
	h.click("Order 3")
	h.click("Add order and next")
	h.wait(`document.querySelector('section[aria-label="Alcohol asked about"]')`, "the next")
	h.click("Declined")
	h.named("Why")
	h.types("not today")
	h.click("Keep it and next")
	h.sees("declined until")
	h.click("Sign one order")
	h.sees("Z12.11")
	require.Equal(t, "declined", text(t, p, "SELECT says FROM care_entry WHERE name = 'alcohol' AND back_at = ''"))
}

// What the immunization registry refuses stands on the desk with its reason until somebody says how it was told instead.
func TestTheRegistryRefuses(t *testing.T) {
	g := &standin.Registry{Facility: "ISLANDS", Known: func(string) bool { return false }}
	require.NoError(t, g.Open("127.0.0.1:0"))
	t.Cleanup(g.Close)
	p := practice(t, "--registry", g.Addr())
	h := sit(t, p)
	h.signIn("maren")
	maren := signedIn(t, p, "maren")
	visit := text(t, p, "SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.family = 'Tollefsen'")
	require.NoError(t, maren.call(http.MethodPost, "/api/visits/"+visit+"/vaccines", map[string]any{"id": "given", "confirmed": true, "given": map[string]string{"cvx": "140", "maker": "Gannet", "lot": "L1",
		"expires": "2099-06-30", "dose": "0.5 mL", "route": "intramuscular", "site": "left deltoid", "sheet": "2025-01-31"}}, nil))
	h.eventually(func() bool {
		return text(t, p, "SELECT count(*) FROM line WHERE kind = 'to the registry' AND state = 'open'") == "1"
	}, "the refusal")
	h.open("/desk/registry/" + text(t, p, "SELECT subject FROM line WHERE kind = 'to the registry'"))
	h.sees("The vaccine code is not known here")
	require.Empty(t, h.axe())
	look(h, "registry")
	h.focused("How it was told instead")
	h.types("entered at their own site")
	h.press("Enter")
	h.eventually(func() bool {
		return text(t, p, "SELECT state FROM inquiry WHERE kind = 'to the registry' AND id NOT LIKE 'answer-%'") == "settled"
	}, "the line closed")
}

// Another publisher's schedule is looked at and tried over the practice before it is put in use.
func TestAnEditionIsTriedBeforeItIsUsed(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("ade")
	h.open("/rulebook")
	h.click("American Academy of Pediatrics, 2025")
	h.sees("COVID-19 vaccine, 6 to 23 months; HPV vaccine")
	h.press("y")
	h.sees("Nothing is changed yet.")
	require.Zero(t, p.count(t, "SELECT count(*) FROM rule_setting"))
	h.click("Put it in use")
	h.wait(`[...document.querySelectorAll("[aria-label='Immunization schedule'] button")].some((b) => b.innerText.includes("Pediatrics") && b.innerText.includes("in use"))`, "the edition in use")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM rule_setting WHERE parameters LIKE '%aap-2025%'"))
	h.seesNot("Put it in use")
}
