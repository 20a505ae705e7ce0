package app_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/assess"
	"deftledger/app/intake"
	notes "deftledger/app/note"
	orders "deftledger/app/order"
	"deftledger/app/paper"
	visits "deftledger/app/visit"
	"deftledger/core/coding"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/visit"
	"deftledger/data"
)

// diagnose sets the diagnoses of a draft and returns it as it is then.
func (c *clinic) diagnose(id string, codes ...string) notes.NoteView {
	c.Helper()
	n, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(c, err)
	require.NoError(c, c.app.Note.SetDiagnoses(ctx, c.doctor(), id, codes, n.ListVersion))
	n, err = c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(c, err)
	return n
}

// Two codes that exclude each other stop the signature until a physician says why both
// are right; the reason is sealed with the note.
func TestCodesThatExcludeEachOtherStopTheSignature(t *testing.T) {
	c := open(t)
	id, versions, _ := c.written()
	n := c.diagnose(id, "R52", "M25.561")
	require.Len(t, n.Advice, 1)
	x := n.Advice[0]
	require.Equal(t, "excludes", x.Kind)
	require.True(t, x.Stops)
	l, err := c.app.Note.ClosingList(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.True(t, l.Points[0].Stops)
	require.Contains(t, l.Points[0].Why, "joint pain (M25.5-)")
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, n.ListVersion, "")
	require.Equal(t, act.Invalid, kind(t, err))
	require.ErrorContains(t, err, "R52 and M25.561 exclude each other")

	_, err = c.app.Note.AnswerAdvice(ctx, c.who[act.Nurse], id, x.Key, "unrelated")
	require.Equal(t, act.Forbidden, kind(t, err), "a physician decides")
	_, err = c.app.Note.AnswerAdvice(ctx, c.doctor(), id, x.Key, " ")
	require.Equal(t, act.Invalid, kind(t, err), "with a reason")
	_, err = c.app.Note.AnswerAdvice(ctx, c.doctor(), id, "excludes A00 B00", "x")
	require.Equal(t, act.Conflict, kind(t, err))
	n, err = c.app.Note.AnswerAdvice(ctx, c.doctor(), id, x.Key, "Pain all over since the fall; the knee was there before.")
	require.NoError(t, err)
	require.Equal(t, "A physician", n.Advice[0].By)
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, n.ListVersion, "")
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'note' AND json_extract(CAST(content AS TEXT), '$.overridden[0].reason') LIKE 'Pain all over%'"))
	require.Empty(t, c.verify())
}

func TestAnAnswerBelongsToItsPairOnly(t *testing.T) {
	c := open(t)
	id := c.note()
	n := c.diagnose(id, "E11.9", "E10.9")
	n, err := c.app.Note.AnswerAdvice(ctx, c.doctor(), id, n.Advice[0].Key, "two episodes")
	require.NoError(t, err)
	n = c.diagnose(id, "E11.9", "E13.9")
	require.Empty(t, n.Advice[0].Answer, "another pair is asked anew")
	require.NoError(t, c.app.Chart.AddProblem(ctx, c.doctor(), patientID, "E10.9"))
	n = c.diagnose(id, "E11.9")
	found := false
	for _, x := range n.Advice {
		found = found || x.Kind == "excludes" && !x.Stops && strings.Contains(x.Says, "problem list")
	}
	require.True(t, found, "the problem list is held against the visit")
	n = c.diagnose(id, "N40.1")
	i := slices.IndexFunc(n.Advice, func(x assess.AdviceView) bool { return x.Kind == "sex" })
	require.GreaterOrEqual(t, i, 0)
	n, err = c.app.Note.AnswerAdvice(ctx, c.who[act.Nurse], id, n.Advice[i].Key, "")
	require.NoError(t, err, "what only asks is put away without a reason")
	require.Equal(t, "does not apply to this visit", n.Advice[i].Answer)
}

func TestWhatIsSaidOfADiagnosisIsWrittenWithItsCourse(t *testing.T) {
	c := open(t)
	id := c.note()
	o := c.order("K")
	c.step()
	c.receive(oru("m1", o.Placer, "F", "4.0"), "AA")
	_, err := c.app.Intake.TakeVitals(ctx, c.jonah(), visitID, []intake.VitalEntry{{LOINC: "85354-9", Text: "148/86"}}, true)
	require.NoError(t, err)
	n := c.diagnose(id, "I10", "L40.0")
	require.Equal(t, "Blood pressure 148/86 mmHg on 04 May 2026.", n.Diagnoses[0].Measures[0].Words)
	require.Empty(t, n.Diagnoses[1].Measures)
	said := note.Said{Code: "I10", Response: "not at goal", Because: "missed doses", Measures: []string{"85354-9", "not-a-measure"}}
	n, err = c.app.Note.SayOfDiagnosis(ctx, c.doctor(), id, said)
	require.NoError(t, err)
	var text string
	for _, b := range n.Blocks {
		if b.Ref == "diagnosis.I10" {
			text = b.Label + ": " + b.Text()
		}
	}
	require.Equal(t, "Essential (primary) hypertension: Not at goal: missed doses. Blood pressure 148/86 mmHg on 04 May 2026.", text)
	require.Equal(t, []string{"85354-9"}, n.Diagnoses[0].Said.Measures)
	_, err = c.app.Note.SayOfDiagnosis(ctx, c.doctor(), id, said)
	require.Equal(t, act.Conflict, kind(t, err), "written on an older version")
	said.Version, said.Response = 1, "cured by magic"
	_, err = c.app.Note.SayOfDiagnosis(ctx, c.doctor(), id, said)
	require.Equal(t, act.Invalid, kind(t, err))
	_, err = c.app.Note.SayOfDiagnosis(ctx, c.doctor(), id, note.Said{Code: "E11.9"})
	require.Equal(t, act.Conflict, kind(t, err), "not on the list")
	n = c.diagnose(id, "L40.0", "I10")
	require.Equal(t, "missed doses", n.Diagnoses[1].Said.Because, "moving a diagnosis loses nothing")
	n = c.diagnose(id, "L40.0")
	n = c.diagnose(id, "L40.0", "I10")
	require.Equal(t, "missed doses", n.Diagnoses[1].Said.Because, "nor taking it off and back")
}

func TestACodeThatCannotBeUsedLeadsToThoseThatCan(t *testing.T) {
	c := open(t)
	text, err := data.Formers()
	require.NoError(t, err)
	c.app.Formers = func() (*coding.Formers, error) { return coding.LoadFormers(text) }
	for code, near := range map[string]string{"250.00": "E11.9", "E11": "E11.00", "M25.5": "M25.50", "I10.99": "I10", "X": "", "": ""} {
		err := c.app.Chart.AddProblem(ctx, c.doctor(), patientID, code)
		require.Equal(t, act.Invalid, kind(t, err), code)
		if near != "" {
			require.ErrorContains(t, err, near, code)
		}
	}
	now, why := c.app.Assess.FormerCodes("401.9", false, 5)
	require.Equal(t, "I10", now[0].Code)
	require.Contains(t, why[0], "formerly 401.9 (ICD-9-CM)")
}

func TestPinnedCodesAreAPersonsOrTheClinics(t *testing.T) {
	c := open(t)
	require.NoError(t, c.app.Assess.Pin(ctx, c.doctor(), "I10", false, false))
	require.NoError(t, c.app.Assess.Pin(ctx, c.doctor(), "E11.9", true, false))
	require.Equal(t, act.Forbidden, kind(t, c.app.Assess.Pin(ctx, c.who[act.Nurse], "E11.9", true, true)))
	require.Equal(t, act.Invalid, kind(t, c.app.Assess.Pin(ctx, c.doctor(), "E11", false, false)))
	mine, err := c.app.Assess.Pins(ctx, c.doctor())
	require.NoError(t, err)
	require.Equal(t, []assess.PinView{{Code: "I10", Title: "Essential (primary) hypertension"},
		{Code: "E11.9", Title: "Type 2 diabetes mellitus without complications", Clinic: true}}, mine)
	hers, err := c.app.Assess.Pins(ctx, c.who[act.Nurse])
	require.NoError(t, err)
	require.Len(t, hers, 1)
	require.NoError(t, c.app.Assess.Pin(ctx, c.doctor(), "I10", false, true))
	mine, err = c.app.Assess.Pins(ctx, c.doctor())
	require.NoError(t, err)
	require.Len(t, mine, 1)
}

// A wish to come back is an open line until the front desk has booked it.
func TestAFollowUpIsOpenUntilItIsBooked(t *testing.T) {
	c := open(t)
	id := c.note()
	for _, bad := range []string{"", "soon", "0d", "2020-01-01", "9y"} {
		_, err := c.app.Visit.AskBack(ctx, c.doctor(), id, bad, "")
		require.Equal(t, act.Invalid, kind(t, err), bad)
	}
	f, err := c.app.Visit.AskBack(ctx, c.doctor(), id, "2m", "")
	require.NoError(t, err)
	require.Equal(t, "2026-07-04", f.Due)
	require.Equal(t, "Toe pain", f.Reason, "the reason for visit, unless another is given")
	f, err = c.app.Visit.AskBack(ctx, c.doctor(), id, "2w", "Blood pressure")
	require.NoError(t, err)
	desk := c.who[act.FrontDesk]
	list, err := c.app.Visit.ToBook(ctx, desk)
	require.NoError(t, err)
	require.Len(t, list, 1, "a later wish takes the place of the first")
	require.Equal(t, "2026-05-18", list[0].Due)
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'follow-up' AND closed_at = '' AND state = 'waiting on others'"))

	for _, bad := range []visits.Booking{{Day: "2026-05-18", Time: "9h", Kind: "Follow-up visit"},
		{Day: "2026-05-01", Time: "09:00", Kind: "Follow-up visit"}} {
		_, err = c.app.Visit.Book(ctx, desk, f.ID, bad)
		require.Equal(t, act.Invalid, kind(t, err))
	}
	v, err := c.app.Visit.Book(ctx, desk, f.ID, visits.Booking{Day: "2026-05-18", Time: "09:00", Kind: "Follow-up visit"})
	require.NoError(t, err)
	require.Equal(t, "2026-05-18T09:00:00-04:00", v.StartsAt)
	require.Equal(t, "Blood pressure", v.Reason)
	_, err = c.app.Visit.Book(ctx, desk, f.ID, visits.Booking{Day: "2026-05-19", Time: "09:00", Kind: "Follow-up visit"})
	require.Equal(t, act.Conflict, kind(t, err), "booked once")
	require.Equal(t, 0, c.count("SELECT count(*) FROM line WHERE kind = 'follow-up' AND closed_at = ''"))
	require.Equal(t, 0, c.count("SELECT count(*) FROM visit WHERE day = '2026-05-19'"))
	n, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, visit.Booked, n.FollowUps[0].State)
	require.Equal(t, v.StartsAt, n.FollowUps[0].VisitAt)

	// A further wish is a line of its own; a time that is taken leads to the next free one.
	f, err = c.app.Visit.AskBack(ctx, c.doctor(), id, "2w", "")
	require.NoError(t, err)
	_, err = c.app.Visit.Book(ctx, desk, f.ID, visits.Booking{Day: "2026-05-18", Time: "09:10", Kind: "Follow-up visit"})
	require.Equal(t, act.Conflict, kind(t, err))
	require.ErrorContains(t, err, "09:20")
	require.Equal(t, act.Invalid, kind(t, c.app.Visit.DropFollowUp(ctx, desk, f.ID, "")))
	require.Equal(t, act.Forbidden, kind(t, c.app.Visit.DropFollowUp(ctx, c.who[act.Admin], f.ID, "moved away")))
	require.NoError(t, c.app.Visit.DropFollowUp(ctx, desk, f.ID, "moved away"))
	require.Equal(t, act.Conflict, kind(t, c.app.Visit.DropFollowUp(ctx, desk, f.ID, "again")))
	list, err = c.app.Visit.ToBook(ctx, desk)
	require.NoError(t, err)
	require.Empty(t, list)
}

func TestTwoAtTheFrontDeskBookOneVisit(t *testing.T) {
	c := open(t)
	f, err := c.app.Visit.AskBack(ctx, c.doctor(), c.note(), "2w", "")
	require.NoError(t, err)
	done := make(chan error, 8)
	for i := range 8 {
		go func() {
			_, err := c.app.Visit.Book(ctx, c.who[act.FrontDesk], f.ID, visits.Booking{Day: "2026-05-18", Time: []string{"09:00", "10:00"}[i%2],
				Kind: "Follow-up visit"})
			done <- err
		}()
	}
	good := 0
	for range 8 {
		if err := <-done; err == nil {
			good++
		} else {
			require.Equal(t, act.Conflict, kind(t, err))
		}
	}
	require.Equal(t, 1, good)
	require.Equal(t, 1, c.count("SELECT count(*) FROM visit WHERE day = '2026-05-18'"))
}

func TestAnAbsenceLetterSaysOnlyWhatWasChosen(t *testing.T) {
	c := open(t)
	id := c.note()
	letter := func(x paper.Absence) string {
		c.Helper()
		d, err := c.app.Paper.AbsenceLetter(ctx, c.doctor(), id, secret, x)
		require.NoError(c, err)
		require.Positive(c, d.Folio)
		body, err := c.app.Paper.Document(ctx, c.doctor(), d.ID)
		require.NoError(c, err)
		require.True(c, strings.HasPrefix(string(body), "%PDF-"))
		var text string
		require.NoError(c, past(c, c.dir).QueryRow("SELECT json_extract(CAST(content AS TEXT), '$.text') FROM ledger_entry WHERE kind = 'letter' AND subject = ?", d.ID).Scan(&text))
		return text
	}
	c.diagnose(id, "M10.071")
	require.Equal(t, "Ottoline Marsh-Adeyemi, born 14 Mar 1968, was seen here on 04 May 2026.\n\nFor medical reasons the patient cannot attend work from Monday, 04 May 2026 through Wednesday, 06 May 2026 (3 days).",
		letter(paper.Absence{From: "2026-05-04", Days: 3, Place: "work"}))
	text := letter(paper.Absence{From: "2026-05-04", Days: 1, Place: "school", Words: "no sports for a week", Diagnose: true})
	require.Contains(t, text, "cannot attend school on Monday, 04 May 2026.")
	require.Contains(t, text, "Diagnosis, named at the patient's wish: Idiopathic gout, right ankle and foot.")
	require.True(t, strings.HasSuffix(text, "No sports for a week."))
	for _, bad := range []paper.Absence{{From: "tomorrow", Days: 3, Place: "work"}, {From: "2026-05-04", Days: 0, Place: "work"},
		{From: "2026-05-04", Days: 91, Place: "work"}, {From: "2026-05-04", Days: 3, Place: "home"}, {From: "2026-03-01", Days: 3, Place: "work"},
		{From: "2027-05-04", Days: 3, Place: "work"}} {
		_, err := c.app.Paper.AbsenceLetter(ctx, c.doctor(), id, secret, bad)
		require.Equal(t, act.Invalid, kind(t, err), "%v", bad)
	}
	c.diagnose(id)
	_, err := c.app.Paper.AbsenceLetter(ctx, c.doctor(), id, secret, paper.Absence{From: "2026-05-04", Days: 3, Place: "work", Diagnose: true})
	require.Equal(t, act.Invalid, kind(t, err), "no diagnosis to name")
	require.Empty(t, c.verify())
}

// Codes are offered from what was written and looked at, once, until they are on the
// list or put away.
func TestCodesTheTextSupportsAreOffered(t *testing.T) {
	c := open(t)
	cat, _ := catalogue()
	icd, _ := cat.On("2026-05-04")
	reader := coding.NewReader(icd, data.Everyday, data.Histories)
	c.app.Reader = func() (*coding.Reader, error) { return reader, nil }
	old := c.earlier(3, "lungs", map[note.Part]string{note.Subjective: "Well.", note.Assessment: "Plaque psoriasis of the elbows.",
		note.Plan: "Ointment."})
	id := c.note()
	offered := func() string {
		c.Helper()
		n, err := c.app.Note.Note(ctx, c.doctor(), id)
		require.NoError(c, err)
		var out []string
		for _, s := range n.Supported {
			out = append(out, s.Code)
		}
		return strings.Join(out, " ")
	}
	require.Empty(t, offered())
	c.save(id, note.Assessment, "Gout. Pneumonia ruled out. Wife has asthma.", 0, "a")
	require.Equal(t, "M10.9", offered())
	n, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "Gout.", n.Supported[0].Words, "with the words that speak for it")
	_, err = c.app.Note.Forward(ctx, c.doctor(), id, old, note.Wanted{Part: note.Assessment})
	require.NoError(t, err)
	require.Equal(t, "M10.9", offered(), "carried text that nobody looked at supports no code")
	n, err = c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	_, err = c.app.Note.Looked(ctx, c.doctor(), id, []string{"brought." + n.Brought[0].ID}, "keep", "")
	require.NoError(t, err)
	require.ElementsMatch(t, []string{"M10.9", "L40.0"}, strings.Fields(offered()))
	_, err = c.app.Note.DismissCode(ctx, c.doctor(), id, "L40.0")
	require.NoError(t, err)
	require.Equal(t, "M10.9", offered(), "put away, it stays away")
	_, err = c.app.Note.DismissCode(ctx, c.doctor(), id, "nonsense")
	require.Equal(t, act.Invalid, kind(t, err))
	c.diagnose(id, "M10.071")
	require.Empty(t, offered(), "a code of the same kind is on the list")
}

// vital takes one vital sign at the visit.
func (c *clinic) vital(loinc, text string) {
	c.Helper()
	_, err := c.app.Intake.TakeVitals(ctx, c.jonah(), visitID, []intake.VitalEntry{{LOINC: loinc, Text: text}}, true)
	require.NoError(c, err)
}

// The chart speaks for codes beside the text: a status code with its medicine, a number
// of this visit, a stage in place of an unspecified code.
func TestCodesTheChartSupportsAreOffered(t *testing.T) {
	c := open(t)
	cat, _ := catalogue()
	icd, _ := cat.On("2026-05-04")
	reader := coding.NewReader(icd, data.Everyday, data.Histories)
	c.app.Reader = func() (*coding.Reader, error) { return reader, nil }
	id := c.note()
	_, err := c.add("medicines", "Metformin", "500 mg twice daily")
	require.NoError(t, err)
	c.vital("85354-9", "152/94")
	offered := func() map[string]string {
		c.Helper()
		n, err := c.app.Note.Note(ctx, c.doctor(), id)
		require.NoError(c, err)
		out := map[string]string{}
		for _, s := range n.Supported {
			out[s.Code] = s.Part + ": " + s.Words
		}
		return out
	}
	require.Equal(t, map[string]string{"R03.0": "chart: Blood pressure 152/94 mmHg on 04 May 2026; no hypertension is recorded"}, offered(),
		"a medicine alone names no condition")
	c.save(id, note.Assessment, "Type 2 diabetes. Hypertension.", 0, "a")
	require.Equal(t, map[string]string{"E11.9": "assessment: Type 2 diabetes.", "I10": "assessment: Hypertension.",
		"Z79.84": "chart: Metformin 500 mg twice daily on the medicine list"}, offered())
	_, err = c.app.Note.DismissCode(ctx, c.doctor(), id, "Z79.84")
	require.NoError(t, err)
	require.NotContains(t, offered(), "Z79.84", "put away, it stays away")
	for i, x := range [][2]string{{"20251101080000-0400", "52"}, {"20260420080000-0400", "48"}} {
		o := c.order("CREA")
		c.receive(oru(fmt.Sprint("E", i), o.Placer+"-1", "F", x[1], "K^Potassium^L^2823-3^^LN", "CREA^Creatinine with eGFR^L^2160-0^^LN",
			"202605040800-0400", x[0]), "AA")
	}
	c.raw("DROP TRIGGER report_value_fixed", "UPDATE report_value SET loinc = '98979-8', name = 'eGFR', unit = 'mL/min/{1.73_m2}'")
	c.save(id, note.Assessment, "Chronic kidney disease.", 1, "b")
	require.Equal(t, "chart: eGFR 48 mL/min/1.73 m² on 20 Apr 2026, 52 on 01 Nov 2025", offered()["N18.31"])
	require.NotContains(t, offered(), "N18.9", "the stage takes the place of the unspecified code")
}

// Measures are judged from coded and recorded facts of the chart.
func TestMeasuresOfAVisit(t *testing.T) {
	c := open(t)
	id := c.note()
	stand := func() map[string]string {
		c.Helper()
		all, err := c.app.Assess.MeasuresOf(ctx, c.doctor(), id)
		require.NoError(c, err)
		out := map[string]string{}
		for _, m := range all {
			out[m.ID] = string(m.State)
		}
		return out
	}
	require.Equal(t, map[string]string{"pressure-taken": "missed", "tobacco": "missed", "mass-index": "missed",
		"medicines": "missed"}, stand())
	c.diagnose(id, "E11.9", "I10")
	c.vital("85354-9", "152/94")
	_, err := c.add("social", "Tobacco", "never")
	require.NoError(t, err)
	_, err = c.app.Intake.State(ctx, c.jonah(), visitID, []string{"medicines"}, "reviewed")
	require.NoError(t, err)
	c.order("A1C")
	want := map[string]string{"pressure-controlled": "missed", "a1c": "in hand", "kidney-in-diabetes": "missed",
		"statin-in-diabetes": "missed", "tobacco": "met", "mass-index": "missed", "medicines": "met"}
	require.Equal(t, want, stand())
	_, err = c.add("medicines", "Atorvastatin", "20 mg daily")
	require.NoError(t, err)
	want["statin-in-diabetes"] = "met"
	got := stand()
	require.Contains(t, []string{"met", "missed"}, got["medicines"])
	delete(got, "medicines")
	delete(want, "medicines")
	require.Equal(t, want, got)
}

// The closing list names a diagnosis that nothing in the note speaks for, an order that is
// prepared and not sent, and charges beyond what is documented; none of it stops.
func TestTheClosingListNamesWhatIsUnsupported(t *testing.T) {
	c := open(t)
	cat, _ := catalogue()
	icd, _ := cat.On("2026-05-04")
	reader := coding.NewReader(icd, data.Everyday, data.Histories)
	c.app.Reader = func() (*coding.Reader, error) { return reader, nil }
	old := c.earlier(3, "lungs", map[note.Part]string{note.Subjective: "Well.", note.Assessment: "Asthma.", note.Plan: "Inhaler."})
	id, _, _ := c.written()
	c.diagnose(id, "M10.071", "J45.909", "I10", "N18.31", "Z00.00")
	c.save(id, note.Assessment, "Gout again. No asthma today.", 1, "u")
	says := func(kind string) []string {
		c.Helper()
		l, err := c.app.Note.ClosingList(ctx, c.doctor(), id)
		require.NoError(c, err)
		var out []string
		for _, p := range l.Points {
			if p.Kind == kind {
				require.False(c, p.Stops)
				out = append(out, strings.Split(p.Says, ",")[0])
			}
		}
		return out
	}
	require.Equal(t, []string{"Nothing in the note speaks for J45.909", "Nothing in the note speaks for I10",
		"Nothing in the note speaks for N18.31"}, says("unsupported"))
	_, err := c.app.Note.SayOfDiagnosis(ctx, c.doctor(), id, note.Said{Code: "I10", Response: "stable"})
	require.NoError(t, err)
	o, err := c.app.Order.PlaceOrder(ctx, c.doctor(), orders.NewOrder{PatientID: patientID, VisitID: visitID, RequestID: "n18",
		Secret: secret, Pad: order.Pad{Priority: "R", Drawing: order.AtSite, Lines: []order.Line{{Test: "CREA", Diagnoses: []string{"N18.31"}}}}})
	require.NoError(t, err)
	require.NotEmpty(t, o)
	require.Equal(t, []string{"Nothing in the note speaks for J45.909"}, says("unsupported"),
		"what is said of one, and a test for one, speak for it")
	_, err = c.app.Note.Forward(ctx, c.doctor(), id, old, note.Wanted{Part: note.Assessment})
	require.NoError(t, err)
	require.Len(t, says("unsupported"), 1, "carried text that nobody looked at speaks for nothing")

	require.NotContains(t, says("promise"), "An order is prepared and not signed: Urate")
	_, err = c.app.Order.PrepareOrder(ctx, c.jonah(), orders.NewOrder{PatientID: patientID, VisitID: visitID, RequestID: "prep", Pad: order.Pad{Priority: "R", Drawing: order.AtSite, Lines: []order.Line{{Test: "URIC", Diagnoses: []string{"M10.071"}}}}})
	require.NoError(t, err)
	require.Contains(t, says("promise"), "An order is prepared and not signed: Urate")

	require.Empty(t, says("charges"))
	_, err = c.app.Assess.SetCharges(ctx, c.doctor(), id, []coding.Charge{{Code: "99215", Units: 1, Pointers: []string{"M10.071"}}},
		coding.Facts{}, 0)
	require.NoError(t, err)
	require.NotEmpty(t, says("charges"), "the level is above what is documented")
}

// What the plan promises and no order holds is pointed out before signing.
func TestTheClosingListHoldsThePlanAgainstTheOrders(t *testing.T) {
	c := open(t)
	id := c.note()
	c.save(id, note.Plan, "Colchicine today. Urate and potassium in two weeks.", 0, "a")
	promises := func() string {
		c.Helper()
		l, err := c.app.Note.ClosingList(ctx, c.doctor(), id)
		require.NoError(c, err)
		var out []string
		for _, p := range l.Points {
			if p.Kind == "promise" || p.Kind == "told" {
				require.False(c, p.Stops)
				out = append(out, p.Says)
			}
		}
		return strings.Join(out, "; ")
	}
	require.Equal(t, "Colchicine is in the plan, not on the medicine list; Urate is in the plan, not ordered; Potassium is in the plan, not ordered", promises())
	c.order("URIC", "BMP")
	_, err := c.app.Intake.AddEntry(ctx, c.doctor(), visitID, intake.NewEntry{List: "medicines", Title: "Colchicine", Detail: "0.6 mg daily"})
	require.NoError(t, err)
	require.Empty(t, promises(), "the panel holds the potassium")
	c.order("A1C")
	require.Equal(t, "Hemoglobin A1c is ordered, and the plan does not say so", promises())

	c.save(id, note.Plan, "A1c. Refer to podiatry. Tdap today. Return in 2 weeks.", 1, "b")
	require.Equal(t, "A referral is in the plan, none of this visit is signed; Tdap vaccine is in the plan, neither given nor ordered at this visit; A return is in the plan, not asked of the front desk; Basic metabolic panel is ordered, and the plan does not say so; Urate is ordered, and the plan does not say so", promises())
	_, err = c.app.Intake.GiveVaccine(ctx, c.jonah(), visitID, intake.VaccineEntry{ID: "one", Given: tdap})
	require.NoError(t, err)
	_, err = c.app.Visit.AskBack(ctx, c.doctor(), id, "2w", "")
	require.NoError(t, err)
	_, err = c.app.Paper.SignLetter(ctx, c.doctor(), id, secret, paper.Letter{Form: "referral", To: "Podiatry",
		Text: "Dear colleague, please see the feet."})
	require.NoError(t, err)
	require.Equal(t, "Basic metabolic panel is ordered, and the plan does not say so; Urate is ordered, and the plan does not say so",
		promises())
}

// Diagnoses joined under one bullet read so, stay joined when the list changes, and are
// sealed so; the first begins the first bullet.
func TestDiagnosesUnderOneBullet(t *testing.T) {
	c := open(t)
	id := c.note()
	c.diagnose(id, "I12.9", "N18.31", "E11.9")
	_, err := c.app.Note.JoinDiagnosis(ctx, c.doctor(), id, "I12.9", true)
	require.Equal(t, act.Invalid, kind(t, err))
	_, err = c.app.Note.JoinDiagnosis(ctx, c.doctor(), id, "J45.909", true)
	require.Equal(t, act.Invalid, kind(t, err))
	n, err := c.app.Note.JoinDiagnosis(ctx, c.doctor(), id, "N18.31", true)
	require.NoError(t, err)
	require.True(t, n.Diagnoses[1].Joined)
	c.diagnose(id, "I12.9", "N18.31", "E11.9", "M10.071")
	n, err = c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.True(t, n.Diagnoses[1].Joined && !n.Diagnoses[2].Joined, "it stays when the list changes")
	versions := map[string]int{}
	for _, p := range note.Always {
		versions[string(p)] = c.save(id, p, "Written.", 0, "j"+string(p)).Version
	}
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, n.ListVersion, "")
	require.NoError(t, err)
	n, err = c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	var assessment string
	for _, s := range n.Sealed.Sections {
		if s.Heading == "Assessment" {
			assessment = s.Text
		}
	}
	lines := strings.Split(assessment, "\n")
	require.True(t, strings.HasPrefix(lines[0], "1. ") && strings.Contains(lines[0], "(I12.9); ") && strings.HasSuffix(lines[0], "(N18.31)"),
		assessment)
	require.True(t, strings.HasPrefix(lines[1], "2. ") && strings.HasPrefix(lines[2], "3. "), assessment)
}

// Since when a problem is known, and how it stands, goes with it to the visit and out in
// letters; what cannot be is refused.
func TestAProblemHasAnOnsetAndAState(t *testing.T) {
	c := open(t)
	id := c.note()
	require.NoError(t, c.app.Chart.AddProblem(ctx, c.doctor(), patientID, "M10.071"))
	for _, bad := range [][2]string{{"1967", ""}, {"2027", ""}, {"2026-05-05", ""}, {"May 2020", ""}, {"2020-13", ""}, {"20", ""},
		{"2020", "gone"}} {
		require.Equal(t, act.Invalid, kind(t, c.app.Chart.DescribeProblem(ctx, c.doctor(), patientID, "M10.071", bad[0], bad[1])), bad)
	}
	require.Equal(t, act.Missing, kind(t, c.app.Chart.DescribeProblem(ctx, c.doctor(), patientID, "I10", "2020", "active")))
	for _, good := range []string{"1968", "2026-05-04", "2023-05", ""} {
		require.NoError(t, c.app.Chart.DescribeProblem(ctx, c.doctor(), patientID, "M10.071", good, "remission"), good)
	}
	require.NoError(t, c.app.Chart.DescribeProblem(ctx, c.doctor(), patientID, "M10.071", "2023", "remission"))
	c.diagnose(id, "M10.071")
	n, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "2023", n.Diagnoses[0].Onset)
	require.Equal(t, "remission", n.Diagnoses[0].State)
	v, err := c.app.Paper.Letters(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Contains(t, v.Letters[0].Text, "(M10.071, since 2023, remission)")
}
