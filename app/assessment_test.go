package app_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app"
	"deftledger/core/coding"
	"deftledger/core/note"
	"deftledger/data"
)

// diagnose sets the diagnoses of a draft and returns it as it is then.
func (c *clinic) diagnose(id string, codes ...string) app.NoteView {
	c.Helper()
	n, err := c.app.Note(ctx, c.doctor(), id)
	require.NoError(c, err)
	require.NoError(c, c.app.SetDiagnoses(ctx, c.doctor(), id, codes, n.ListVersion))
	n, err = c.app.Note(ctx, c.doctor(), id)
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
	l, err := c.app.ClosingList(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.True(t, l.Points[0].Stops)
	require.Contains(t, l.Points[0].Why, "joint pain (M25.5-)")
	_, err = c.app.SignNote(ctx, c.doctor(), id, secret, versions, n.ListVersion, "")
	require.Equal(t, 422, status(t, err))
	require.ErrorContains(t, err, "R52 and M25.561 exclude each other")

	_, err = c.app.AnswerAdvice(ctx, c.who[app.Nurse], id, x.Key, "unrelated")
	require.Equal(t, 403, status(t, err), "a physician decides")
	_, err = c.app.AnswerAdvice(ctx, c.doctor(), id, x.Key, " ")
	require.Equal(t, 422, status(t, err), "with a reason")
	_, err = c.app.AnswerAdvice(ctx, c.doctor(), id, "excludes A00 B00", "x")
	require.Equal(t, 409, status(t, err))
	n, err = c.app.AnswerAdvice(ctx, c.doctor(), id, x.Key, "Pain all over since the fall; the knee was there before.")
	require.NoError(t, err)
	require.Equal(t, "A physician", n.Advice[0].By)
	_, err = c.app.SignNote(ctx, c.doctor(), id, secret, versions, n.ListVersion, "")
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'note' AND json_extract(CAST(content AS TEXT), '$.overridden[0].reason') LIKE 'Pain all over%'"))
	require.Empty(t, c.verify())
}

func TestAnAnswerBelongsToItsPairOnly(t *testing.T) {
	c := open(t)
	id := c.note()
	n := c.diagnose(id, "E11.9", "E10.9")
	n, err := c.app.AnswerAdvice(ctx, c.doctor(), id, n.Advice[0].Key, "two episodes")
	require.NoError(t, err)
	n = c.diagnose(id, "E11.9", "E13.9")
	require.Empty(t, n.Advice[0].Answer, "another pair is asked anew")
	require.NoError(t, c.app.AddProblem(ctx, c.doctor(), patientID, "E10.9"))
	n = c.diagnose(id, "E11.9")
	found := false
	for _, x := range n.Advice {
		found = found || x.Kind == "excludes" && !x.Stops && strings.Contains(x.Says, "problem list")
	}
	require.True(t, found, "the problem list is held against the visit")
	n = c.diagnose(id, "N40.1")
	i := slices.IndexFunc(n.Advice, func(x app.AdviceView) bool { return x.Kind == "sex" })
	require.GreaterOrEqual(t, i, 0)
	n, err = c.app.AnswerAdvice(ctx, c.who[app.Nurse], id, n.Advice[i].Key, "")
	require.NoError(t, err, "what only asks is put away without a reason")
	require.Equal(t, "does not apply to this visit", n.Advice[i].Answer)
}

func TestWhatIsSaidOfADiagnosisIsWrittenWithItsCourse(t *testing.T) {
	c := open(t)
	id := c.note()
	o := c.order("K")
	c.step()
	c.receive(oru("m1", o.Placer, "F", "4.0"), "AA")
	_, err := c.app.TakeVitals(ctx, c.jonah(), visitID, []app.VitalEntry{{LOINC: "85354-9", Text: "148/86"}}, true)
	require.NoError(t, err)
	n := c.diagnose(id, "I10", "L40.0")
	require.Equal(t, "Blood pressure 148/86 mmHg on 04 May 2026.", n.Diagnoses[0].Measures[0].Words)
	require.Empty(t, n.Diagnoses[1].Measures)
	said := note.Said{Code: "I10", Response: "not at goal", Because: "missed doses", Measures: []string{"85354-9", "not-a-measure"}}
	n, err = c.app.SayOfDiagnosis(ctx, c.doctor(), id, said)
	require.NoError(t, err)
	var text string
	for _, b := range n.Blocks {
		if b.Ref == "diagnosis.I10" {
			text = b.Label + ": " + b.Text()
		}
	}
	require.Equal(t, "Essential (primary) hypertension: Not at goal: missed doses. Blood pressure 148/86 mmHg on 04 May 2026.", text)
	require.Equal(t, []string{"85354-9"}, n.Diagnoses[0].Said.Measures)
	_, err = c.app.SayOfDiagnosis(ctx, c.doctor(), id, said)
	require.Equal(t, 409, status(t, err), "written on an older version")
	said.Version, said.Response = 1, "cured by magic"
	_, err = c.app.SayOfDiagnosis(ctx, c.doctor(), id, said)
	require.Equal(t, 422, status(t, err))
	_, err = c.app.SayOfDiagnosis(ctx, c.doctor(), id, note.Said{Code: "E11.9"})
	require.Equal(t, 409, status(t, err), "not on the list")
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
		err := c.app.AddProblem(ctx, c.doctor(), patientID, code)
		require.Equal(t, 422, status(t, err), code)
		if near != "" {
			require.ErrorContains(t, err, near, code)
		}
	}
	now, why := c.app.FormerCodes("401.9", false, 5)
	require.Equal(t, "I10", now[0].Code)
	require.Contains(t, why[0], "formerly 401.9 (ICD-9-CM)")
}

func TestPinnedCodesAreAPersonsOrTheClinics(t *testing.T) {
	c := open(t)
	require.NoError(t, c.app.Pin(ctx, c.doctor(), "I10", false, false))
	require.NoError(t, c.app.Pin(ctx, c.doctor(), "E11.9", true, false))
	require.Equal(t, 403, status(t, c.app.Pin(ctx, c.who[app.Nurse], "E11.9", true, true)))
	require.Equal(t, 422, status(t, c.app.Pin(ctx, c.doctor(), "E11", false, false)))
	mine, err := c.app.Pins(ctx, c.doctor())
	require.NoError(t, err)
	require.Equal(t, []app.PinView{{Code: "I10", Title: "Essential (primary) hypertension"}, {Code: "E11.9", Title: "Type 2 diabetes mellitus without complications", Clinic: true}}, mine)
	hers, err := c.app.Pins(ctx, c.who[app.Nurse])
	require.NoError(t, err)
	require.Len(t, hers, 1)
	require.NoError(t, c.app.Pin(ctx, c.doctor(), "I10", false, true))
	mine, err = c.app.Pins(ctx, c.doctor())
	require.NoError(t, err)
	require.Len(t, mine, 1)
}

// A wish to come back is an open line until the front desk has booked it.
func TestAFollowUpIsOpenUntilItIsBooked(t *testing.T) {
	c := open(t)
	id := c.note()
	for _, bad := range []string{"", "soon", "0d", "2020-01-01", "9y"} {
		_, err := c.app.AskBack(ctx, c.doctor(), id, bad, "")
		require.Equal(t, 422, status(t, err), bad)
	}
	f, err := c.app.AskBack(ctx, c.doctor(), id, "2m", "")
	require.NoError(t, err)
	require.Equal(t, "2026-07-04", f.Due)
	require.Equal(t, "Toe pain", f.Reason, "the reason for visit, unless another is given")
	f, err = c.app.AskBack(ctx, c.doctor(), id, "2w", "Blood pressure")
	require.NoError(t, err)
	desk := c.who[app.FrontDesk]
	list, err := c.app.ToBook(ctx, desk)
	require.NoError(t, err)
	require.Len(t, list, 1, "a later wish takes the place of the first")
	require.Equal(t, "2026-05-18", list[0].Due)
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'follow-up' AND closed_at = '' AND state = 'waiting on others'"))

	for _, bad := range []app.Booking{{Day: "2026-05-18", Time: "9h", Kind: "Follow-up visit"}, {Day: "2026-05-01", Time: "09:00", Kind: "Follow-up visit"}} {
		_, err = c.app.Book(ctx, desk, f.ID, bad)
		require.Equal(t, 422, status(t, err))
	}
	v, err := c.app.Book(ctx, desk, f.ID, app.Booking{Day: "2026-05-18", Time: "09:00", Kind: "Follow-up visit"})
	require.NoError(t, err)
	require.Equal(t, "2026-05-18T09:00:00-04:00", v.StartsAt)
	require.Equal(t, "Blood pressure", v.Reason)
	_, err = c.app.Book(ctx, desk, f.ID, app.Booking{Day: "2026-05-19", Time: "09:00", Kind: "Follow-up visit"})
	require.Equal(t, 409, status(t, err), "booked once")
	require.Equal(t, 0, c.count("SELECT count(*) FROM line WHERE kind = 'follow-up' AND closed_at = ''"))
	require.Equal(t, 0, c.count("SELECT count(*) FROM visit WHERE day = '2026-05-19'"))
	n, err := c.app.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "booked", n.FollowUps[0].State)
	require.Equal(t, v.StartsAt, n.FollowUps[0].VisitAt)

	// A further wish is a line of its own; a time that is taken leads to the next free one.
	f, err = c.app.AskBack(ctx, c.doctor(), id, "2w", "")
	require.NoError(t, err)
	_, err = c.app.Book(ctx, desk, f.ID, app.Booking{Day: "2026-05-18", Time: "09:10", Kind: "Follow-up visit"})
	require.Equal(t, 409, status(t, err))
	require.ErrorContains(t, err, "09:20")
	require.Equal(t, 422, status(t, c.app.DropFollowUp(ctx, desk, f.ID, "")))
	require.Equal(t, 403, status(t, c.app.DropFollowUp(ctx, c.who[app.Admin], f.ID, "moved away")))
	require.NoError(t, c.app.DropFollowUp(ctx, desk, f.ID, "moved away"))
	require.Equal(t, 409, status(t, c.app.DropFollowUp(ctx, desk, f.ID, "again")))
	list, err = c.app.ToBook(ctx, desk)
	require.NoError(t, err)
	require.Empty(t, list)
}

func TestTwoAtTheFrontDeskBookOneVisit(t *testing.T) {
	c := open(t)
	f, err := c.app.AskBack(ctx, c.doctor(), c.note(), "2w", "")
	require.NoError(t, err)
	done := make(chan error, 8)
	for i := range 8 {
		go func() {
			_, err := c.app.Book(ctx, c.who[app.FrontDesk], f.ID, app.Booking{Day: "2026-05-18", Time: []string{"09:00", "10:00"}[i%2], Kind: "Follow-up visit"})
			done <- err
		}()
	}
	good := 0
	for range 8 {
		if err := <-done; err == nil {
			good++
		} else {
			require.Equal(t, 409, status(t, err))
		}
	}
	require.Equal(t, 1, good)
	require.Equal(t, 1, c.count("SELECT count(*) FROM visit WHERE day = '2026-05-18'"))
}

func TestAnAbsenceLetterSaysOnlyWhatWasChosen(t *testing.T) {
	c := open(t)
	id := c.note()
	letter := func(x app.Absence) string {
		c.Helper()
		d, err := c.app.AbsenceLetter(ctx, c.doctor(), id, secret, x)
		require.NoError(c, err)
		require.Positive(c, d.Folio)
		body, err := c.app.Document(ctx, c.doctor(), d.ID)
		require.NoError(c, err)
		require.True(c, strings.HasPrefix(string(body), "%PDF-"))
		var text string
		require.NoError(c, past(c, c.dir).QueryRow("SELECT json_extract(CAST(content AS TEXT), '$.text') FROM ledger_entry WHERE kind = 'letter' AND subject = ?", d.ID).Scan(&text))
		return text
	}
	c.diagnose(id, "M10.071")
	require.Equal(t, "Ottoline Marsh-Adeyemi, born 14 Mar 1968, was seen here on 04 May 2026.\n\nFor medical reasons the patient cannot attend work from Monday, 04 May 2026 through Wednesday, 06 May 2026 (3 days).",
		letter(app.Absence{From: "2026-05-04", Days: 3, Place: "work"}))
	text := letter(app.Absence{From: "2026-05-04", Days: 1, Place: "school", Words: "no sports for a week", Diagnose: true})
	require.Contains(t, text, "cannot attend school on Monday, 04 May 2026.")
	require.Contains(t, text, "Diagnosis, named at the patient's wish: Idiopathic gout, right ankle and foot.")
	require.True(t, strings.HasSuffix(text, "No sports for a week."))
	for _, bad := range []app.Absence{{From: "tomorrow", Days: 3, Place: "work"}, {From: "2026-05-04", Days: 0, Place: "work"}, {From: "2026-05-04", Days: 91, Place: "work"}, {From: "2026-05-04", Days: 3, Place: "home"}, {From: "2026-03-01", Days: 3, Place: "work"}, {From: "2027-05-04", Days: 3, Place: "work"}} {
		_, err := c.app.AbsenceLetter(ctx, c.doctor(), id, secret, bad)
		require.Equal(t, 422, status(t, err), "%v", bad)
	}
	c.diagnose(id)
	_, err := c.app.AbsenceLetter(ctx, c.doctor(), id, secret, app.Absence{From: "2026-05-04", Days: 3, Place: "work", Diagnose: true})
	require.Equal(t, 422, status(t, err), "no diagnosis to name")
	require.Empty(t, c.verify())
}

// Codes are offered from what was written and looked at, once, until they are on the
// list or put away.
func TestCodesTheTextSupportsAreOffered(t *testing.T) {
	c := open(t)
	cat, _ := catalogue()
	icd, _ := cat.On("2026-05-04")
	reader := coding.NewReader(icd, data.Everyday)
	c.app.Reader = func() (*coding.Reader, error) { return reader, nil }
	old := c.earlier(3, "lungs", map[note.Part]string{note.Subjective: "Well.", note.Assessment: "Plaque psoriasis of the elbows.", note.Plan: "Ointment."})
	id := c.note()
	offered := func() string {
		c.Helper()
		n, err := c.app.Note(ctx, c.doctor(), id)
		require.NoError(c, err)
		var out []string
		for _, s := range n.Supported {
			out = append(out, s.Code)
		}
		return strings.Join(out, " ")
	}
	require.Empty(t, offered())
	c.save(id, note.Assessment, "Gout. Pneumonia ruled out. Mother has asthma.", 0, "a")
	require.Equal(t, "M10.9", offered())
	n, err := c.app.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "Gout.", n.Supported[0].Words, "with the words that speak for it")
	_, err = c.app.Forward(ctx, c.doctor(), id, old, note.Wanted{Part: note.Assessment})
	require.NoError(t, err)
	require.Equal(t, "M10.9", offered(), "carried text that nobody looked at supports no code")
	n, err = c.app.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	_, err = c.app.Looked(ctx, c.doctor(), id, []string{"brought." + n.Brought[0].ID}, "keep", "")
	require.NoError(t, err)
	require.ElementsMatch(t, []string{"M10.9", "L40.0"}, strings.Fields(offered()))
	_, err = c.app.DismissCode(ctx, c.doctor(), id, "L40.0")
	require.NoError(t, err)
	require.Equal(t, "M10.9", offered(), "put away, it stays away")
	_, err = c.app.DismissCode(ctx, c.doctor(), id, "nonsense")
	require.Equal(t, 422, status(t, err))
	c.diagnose(id, "M10.071")
	require.Empty(t, offered(), "a code of the same kind is on the list")
}

// What the plan promises and no order holds is pointed out before signing.
func TestTheClosingListHoldsThePlanAgainstTheOrders(t *testing.T) {
	c := open(t)
	id := c.note()
	c.save(id, note.Plan, "Colchicine today. Urate and potassium in two weeks.", 0, "a")
	promises := func() string {
		c.Helper()
		l, err := c.app.ClosingList(ctx, c.doctor(), id)
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
	_, err := c.app.AddEntry(ctx, c.doctor(), visitID, app.NewEntry{List: "medicines", Title: "Colchicine", Detail: "0.6 mg daily"})
	require.NoError(t, err)
	require.Empty(t, promises(), "the panel holds the potassium")
	c.order("A1C")
	require.Equal(t, "Hemoglobin A1c is ordered, and the plan does not say so", promises())
}
