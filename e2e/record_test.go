package e2e

import (
	"encoding/base64"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// summary is a record of another house about Ottoline: four problems of ours, six medicines, two allergies and five vaccines.
func summary() []byte {
	entry := func(root, id, template, class, inner string) string {
		return fmt.Sprintf(`<entry><act classCode="ACT" moodCode="EVN"><templateId root="%s"/><statusCode code="active"/><entryRelationship typeCode="SUBJ"><observation classCode="OBS" moodCode="EVN"><templateId root="%s"/><id root="k" extension="%s"/><statusCode code="completed"/>%s</observation></entryRelationship></act></entry>`,
			template, class, id, inner)
	}
	section := func(code, title string, entries ...string) string {
		return `<component><section><code code="` + code + `" codeSystem="2.16.840.1.113883.6.1"/><title>` + title + `</title><text><paragraph>` + title + `</paragraph></text>` + strings.Join(entries, "") + `</section></component>`
	}
	var problems, medicines, allergies, vaccines []string
	for i, code := range []string{"M10.071", "N18.31", "I12.9", "M17.11"} {
		problems = append(problems, entry("k", fmt.Sprint("p", i), "2.16.840.1.113883.10.20.22.4.3", "2.16.840.1.113883.10.20.22.4.4", `<value code="`+code+`" codeSystem="2.16.840.1.113883.6.90" displayName="`+code+`"/>`))
	}
	for i, m := range [][2]string{{"Allopurinol 100 MG Oral Tablet", "one tablet once a day"}, {"Losartan 100 MG Oral Tablet", "one tablet once a day"}, {"Chlorthalidone 12.5 mg", "12.5 mg daily"},
		{"Acetaminophen 500 MG Oral Tablet", "one tablet every 6 hours as needed"}, {"Naproxen 500 MG Oral Tablet", "twice daily"}, {"Omeprazole 20 MG Oral Capsule", "one capsule once a day"}} {
		medicines = append(medicines, fmt.Sprintf(`<entry><substanceAdministration classCode="SBADM" moodCode="INT"><templateId root="2.16.840.1.113883.10.20.22.4.16"/><id root="k" extension="m%d"/><statusCode code="active"/><consumable><manufacturedProduct><manufacturedMaterial><code code="%d" codeSystem="2.16.840.1.113883.6.88" displayName="%s"/></manufacturedMaterial></manufacturedProduct></consumable><entryRelationship typeCode="COMP"><substanceAdministration classCode="SBADM" moodCode="INT"><templateId root="2.16.840.1.113883.10.20.22.4.147"/><text>%s</text></substanceAdministration></entryRelationship></substanceAdministration></entry>`,
			i, 1000+i, m[0], m[1]))
	}
	for i, a := range []string{"Naproxen", "Sulfonamide antibiotics"} {
		severity := ""
		if i == 1 {
			severity = `<entryRelationship typeCode="SUBJ"><observation><templateId root="2.16.840.1.113883.10.20.22.4.8"/><value code="24484000" codeSystem="2.16.840.1.113883.6.96" displayName="Severe"/></observation></entryRelationship>`
		}
		allergies = append(allergies, entry("k", fmt.Sprint("a", i), "2.16.840.1.113883.10.20.22.4.30", "2.16.840.1.113883.10.20.22.4.7",
			`<value code="416098002" codeSystem="2.16.840.1.113883.6.96"/><participant typeCode="CSM"><participantRole><playingEntity><code code="7258" codeSystem="2.16.840.1.113883.6.88" displayName="`+a+`"/></playingEntity></participantRole></participant>`+severity))
	}
	for i, cvx := range []string{"150", "115", "187", "187", "133"} {
		vaccines = append(vaccines, fmt.Sprintf(`<entry><substanceAdministration classCode="SBADM" moodCode="EVN"><templateId root="2.16.840.1.113883.10.20.22.4.52"/><id root="k" extension="v%d"/><statusCode code="completed"/><effectiveTime value="202%d0%d11"/><consumable><manufacturedProduct><manufacturedMaterial><code code="%s" codeSystem="2.16.840.1.113883.12.292" displayName="Vaccine %s"/></manufacturedMaterial></manufacturedProduct></consumable></substanceAdministration></entry>`, i, i, i+1, cvx, cvx))
	}
	return []byte(`<?xml version="1.0"?><ClinicalDocument xmlns="urn:hl7-org:v3"><id root="k" extension="K-1"/><title>Summary</title><effectiveTime value="20261020"/><recordTarget><patientRole><id root="k" extension="9"/><patient><name><given>Ottoline</given><family>Marsh-Adeyemi</family></name><administrativeGenderCode code="F"/><birthTime value="19680314"/></patient></patientRole></recordTarget><author><assignedAuthor><representedOrganization><name>Kestrel House</name></representedOrganization></assignedAuthor></author><component><structuredBody>` +
		section("11450-4", "Problems", problems...) + section("48765-2", "Allergies", allergies...) + section("10160-0", "Medications", medicines...) + section("11369-6", "Immunizations", vaccines...) +
		`</structuredBody></component></ClinicalDocument>`)
}

// A record of seventeen entries: the certain ones in one act, three singly, signed. It is handed in by the assistant, who asks the patient.
func TestARecordFromElsewhereIsReconciled(t *testing.T) {
	p := practice(t)
	ottoline := text(t, p, "SELECT id FROM patient WHERE family = 'Marsh-Adeyemi' AND given = 'Ottoline'")
	c := signedIn(t, p, "jonah")
	var got struct{ ID string }
	require.NoError(t, c.call(http.MethodPost, "/api/patients/"+ottoline+"/records", map[string]string{"file": base64.StdEncoding.EncodeToString(summary())}, &got))
	j := sit(t, p)
	j.signIn("jonah")
	j.open("/desk/record/" + got.ID)
	j.sees("Ask Ottoline: were you at Kestrel House")
	require.Empty(t, j.axe())
	j.press("y")
	j.sees("was there: confirmed")

	h := sit(t, p)
	h.signIn("maren")
	h.openSigning()
	h.open("/desk/record/" + got.ID)
	h.sees("Settle 14 certain")
	h.effort("E17", 8, func() {
		h.press("c")
		h.sees("3 of 17 still open")
		look(h, "record-settled")
		h.press("3") // the allergy: ours stays
		h.sees("2 of 17 still open")
		h.press("1") // the raised dose
		h.sees("1 of 17 still open")
		h.press("4")
		h.focused("Why it is left out")
		h.types("She bled on it.")
		h.press("Enter")
		h.sees("Every entry is decided.")
		h.press("Ctrl+Enter")
		h.wait(`!location.pathname.includes("`+got.ID+`")`, "the next line")
	})
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM outside_review"))
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM medicine WHERE name LIKE 'Losartan%' AND stopped = '' AND source = 'Kestrel House'"))
	require.Equal(t, 2, p.count(t, "SELECT count(*) FROM allergy WHERE patient_id = '"+ottoline+"' AND ended_at = ''"))
	require.Equal(t, 5, p.count(t, "SELECT count(*) FROM care_entry WHERE source = 'Kestrel House'"))
	h.open("/desk/record/" + got.ID)
	h.sees("Signed as read by Maren Oduya")
	h.press("g")
	h.sees("Medications")
	require.Empty(t, h.axe())
	said, ok := p.verify()
	require.True(t, ok, said)
}

// By mouse: a record handed in as a file that names somebody else is asked about; a decision is taken back; what cannot be read is kept.
func TestARecordByMouse(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.open("/desk/record/" + text(t, p, "SELECT id FROM outside_record WHERE house LIKE 'Gannet%'"))
	h.sees("Differs in")
	h.click("no, not there…")
	h.types("She was never there.")
	h.click("Keep it")
	h.sees("was there: refused")
	h.open("/desk/record/" + text(t, p, "SELECT id FROM outside_record WHERE house LIKE 'Northsound%' AND title LIKE 'Discharge%'"))
	h.sees("Hand on…")
	h.press("h")
	h.focused("What is to be done")
	h.types("Ask her what she takes.")
	h.click("Jonah Whitlock")
	h.sees("handed it on to Jonah Whitlock")
	require.Empty(t, h.axe())
	h.click("Naproxen 500 MG Oral Tablet")
	h.sees("Naproxen 500 mg tablet · twice a day as needed") // in their words
	h.press("g")
	h.click("Acetaminophen 500 mg tablet") // pointing at words shows their entry
	h.sees("Acetaminophen 500 mg tablet · as needed")
	look(h, "record-whole")
	require.Empty(t, h.axe())
}

// What was remarked beside an entry is read with it and makes it a question; what is of a history needs no decision, and may be taken in and
// back by mouse.
func TestRemarksAndHistoriesOfARecord(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.open("/desk/record/" + text(t, p, "SELECT id FROM outside_record WHERE house LIKE 'Skua Head%'"))
	h.sees("They write a second initial")
	h.click("Yes")
	h.sees("was there: confirmed")
	h.sees("remarked there: “his wife thinks so; he does not remember”")
	h.sees("for Chronic obstructive lung disease")
	h.sees("remarked there: “stopped himself in February, loose stools”")
	h.sees("remarked there: “repeat film due May 2026, not booked when he moved”")
	look(h, "record-remarks")
	require.Empty(t, h.axe())
	h.press("c")
	h.sees("the same")
	require.Zero(t, p.count(t, "SELECT count(*) FROM medicine WHERE name LIKE 'Roflumilast%'"), "a remark stands beside it: nobody settles it unread")
	h.click("into Family")
	h.sees("taken into Family")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM history WHERE list = 'family' AND title = 'Heart attack' AND detail = 'father' AND source = 'Skua Head Family Practice' AND ended_at = ''"))
	h.sees("which ends by it") // ours says 40 pack-years
	look(h, "record-others")
	h.click("Take it back…")
	h.types("It was his uncle.")
	h.click("Take it back")
	h.seesNot("taken into Family")
	require.Zero(t, p.count(t, "SELECT count(*) FROM history WHERE title = 'Heart attack' AND ended_at = ''"))
}
