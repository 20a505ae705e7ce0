package app_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app"
	"deftledger/core/coding"
	"deftledger/core/note"
	"deftledger/core/order"
)

// Every act is tried by every role; who may is written down here once more, by hand.
func TestEveryActChecksTheRole(t *testing.T) {
	clinical := []string{app.Physician, app.Nurse, app.Assistant}
	everybody := append(clinical, app.FrontDesk)
	physician := []string{app.Physician}
	c := open(t)
	id := c.note()
	acts := map[string]struct {
		may []string
		try func(app.Actor) error
	}{
		"day":         {everybody, func(w app.Actor) error { _, err := c.app.Day(ctx, w, ""); return err }},
		"move visit":  {everybody, func(w app.Actor) error { return c.app.MoveVisit(ctx, w, visitID, "ready", -1) }},
		"find":        {everybody, func(w app.Actor) error { _, err := c.app.Find(ctx, w, "marsh"); return err }},
		"chart":       {clinical, func(w app.Actor) error { _, err := c.app.Chart(ctx, w, patientID, true); return err }},
		"start visit": {clinical, func(w app.Actor) error { _, err := c.app.StartVisit(ctx, w, visitID); return err }},
		"read note":   {clinical, func(w app.Actor) error { _, err := c.app.Note(ctx, w, id); return err }},
		"save note":   {clinical, func(w app.Actor) error { _, err := c.app.SavePart(ctx, w, id, note.Plan, "x", 9, w.ID); return err }},
		"writing":     {clinical, func(w app.Actor) error { _, err := c.app.Writing(ctx, w, id, w.ID, true); return err }},
		"settle":      {clinical, func(w app.Actor) error { return c.app.SettleConflict(ctx, w, id, "none") }},
		"diagnoses":   {clinical, func(w app.Actor) error { return c.app.SetDiagnoses(ctx, w, id, nil, -1) }},
		"sign note":   {physician, func(w app.Actor) error { _, err := c.app.SignNote(ctx, w, id, secret, nil, 1, ""); return err }},
		"amend note":  {physician, func(w app.Actor) error { _, err := c.app.Amend(ctx, w, id, secret, "x"); return err }},
		"print note":  {clinical, func(w app.Actor) error { _, err := c.app.NotePDF(ctx, w, id, ""); return err }},
		"letters":     {clinical, func(w app.Actor) error { _, err := c.app.Letters(ctx, w, "none"); return err }},
		"sign letter": {physician, func(w app.Actor) error {
			_, err := c.app.SignLetter(ctx, w, "none", secret, app.Letter{Form: "referral", Text: "x"})
			return err
		}},
		"give leaflet": {clinical, func(w app.Actor) error { _, err := c.app.GiveLeaflet(ctx, w, "none", "gout"); return err }},
		"settle sent":  {clinical, func(w app.Actor) error { return c.app.SettleSent(ctx, w, "fax", "none", "x") }},
		"plan as set":  {clinical, func(w app.Actor) error { _, err := c.app.PlanAsSet(ctx, w, "none"); return err }},
		"keep plan": {clinical, func(w app.Actor) error {
			_, err := c.app.KeepPlanAsSet(ctx, w, "none", app.PlanSet{Title: "x"})
			return err
		}},
		"form versions":    {append(clinical, app.Admin), func(w app.Actor) error { _, err := c.app.FormVersions(ctx, w, "sets", "clinic", "clinic"); return err }},
		"join":             {clinical, func(w app.Actor) error { _, err := c.app.JoinDiagnosis(ctx, w, "none", "I10", true); return err }},
		"describe problem": {physician, func(w app.Actor) error { return c.app.DescribeProblem(ctx, w, patientID, "J00", "", "") }},
		"add problem":      {physician, func(w app.Actor) error { return c.app.AddProblem(ctx, w, patientID, "I10") }},
		"end problem":      {physician, func(w app.Actor) error { return c.app.EndProblem(ctx, w, patientID, "J00") }},
		"tests":            {clinical, func(w app.Actor) error { _, err := c.app.Tests(w, "k"); return err }},
		"place order": {physician, func(w app.Actor) error {
			_, err := c.app.PlaceOrder(ctx, w, app.NewOrder{PatientID: patientID, Priority: "R", RequestID: w.ID, Secret: secret, Tests: []order.Line{{Test: "K", Diagnoses: []string{"I10"}}}})
			return err
		}},
		"cancel order": {physician, func(w app.Actor) error { _, err := c.app.CancelOrder(ctx, w, "none", "x"); return err }},
		"desk":         {clinical, func(w app.Actor) error { _, err := c.app.MyDesk(ctx, w); return err }},
		"report":       {clinical, func(w app.Actor) error { _, err := c.app.Report(ctx, w, "none", true); return err }},
		"sign report": {physician, func(w app.Actor) error {
			return c.app.SignReport(ctx, w, app.SignedResult{ReportID: "none", Secret: secret})
		}},
		"held":      {[]string{app.Physician, app.Nurse}, func(w app.Actor) error { _, err := c.app.Held(ctx, w, 99); return err }},
		"attach":    {[]string{app.Physician, app.Nurse}, func(w app.Actor) error { return c.app.Attach(ctx, w, 99, patientID) }},
		"set aside": {[]string{app.Physician, app.Nurse}, func(w app.Actor) error { return c.app.SetAside(ctx, w, 99, "x") }},
		"findings":  {clinical, func(w app.Actor) error { _, err := c.app.SetFindings(ctx, w, "none", nil); return err }},
		"read line": {clinical, func(w app.Actor) error {
			_, err := c.app.ReadLine(ctx, w, note.Review, "cough", nil, "")
			return err
		}},
		"search findings": {clinical, func(w app.Actor) error {
			_, err := c.app.SearchFindings(ctx, w, patientID, note.Review, "skin", "rash")
			return err
		}},
		"ask":             {clinical, func(w app.Actor) error { _, err := c.app.Ask(ctx, w, "none", "cough", false); return err }},
		"answer":          {clinical, func(w app.Actor) error { _, err := c.app.Answer(ctx, w, "none", "cough", "x", nil, 0); return err }},
		"preview forward": {clinical, func(w app.Actor) error { _, err := c.app.PreviewForward(ctx, w, "none", "", note.Wanted{}); return err }},
		"forward":         {clinical, func(w app.Actor) error { _, err := c.app.Forward(ctx, w, "none", "", note.Wanted{}); return err }},
		"looked":          {clinical, func(w app.Actor) error { _, err := c.app.Looked(ctx, w, "none", nil, "keep", ""); return err }},
		"bring":           {clinical, func(w app.Actor) error { _, err := c.app.Bring(ctx, w, "none", nil); return err }},
		"beside":          {clinical, func(w app.Actor) error { _, err := c.app.Beside(ctx, w, "none"); return err }},
		"last findings":   {clinical, func(w app.Actor) error { _, err := c.app.LastFindings(ctx, w, "none"); return err }},
		"draw":            {clinical, func(w app.Actor) error { _, err := c.app.SaveDrawing(ctx, w, "none", app.DrawingView{}); return err }},
		"leave note":      {clinical, func(w app.Actor) error { _, err := c.app.LeaveNote(ctx, w, "none", "", ""); return err }},
		"colleagues":      {clinical, func(w app.Actor) error { _, err := c.app.Colleagues(ctx, w); return err }},
		"closing list":    {clinical, func(w app.Actor) error { _, err := c.app.ClosingList(ctx, w, "none"); return err }},
		"retract":         {physician, func(w app.Actor) error { return c.app.Retract(ctx, w, "none", secret, "why", "") }},
		"file section":    {clinical, func(w app.Actor) error { _, err := c.app.FileSection(ctx, w, "none", "Plan", false, ""); return err }},
		"document":        {clinical, func(w app.Actor) error { _, err := c.app.Document(ctx, w, "none"); return err }},
		"fax":             {clinical, func(w app.Actor) error { return c.app.SendFax(ctx, w, "none", "555-0190") }},
		"writing tools":   {clinical, func(w app.Actor) error { _, err := c.app.WritingTools(ctx, w); return err }},
		"medical words":   {clinical, func(w app.Actor) error { _, err := c.app.MedicalWords(ctx, w); return err }},
		"add word":        {clinical, func(w app.Actor) error { return c.app.AddWord(ctx, w, "kittiwake") }},
		"list forms":      {append(clinical, app.Admin), func(w app.Actor) error { _, err := c.app.ListForms(ctx, w); return err }},
		"read form":       {append(clinical, app.Admin), func(w app.Actor) error { _, err := c.app.ReadForm(ctx, w, "visits", "kinds", "clinic", 0); return err }},
		"try form":        {append(clinical, app.Admin), func(w app.Actor) error { _, err := c.app.TryForm(ctx, w, app.FormText{}); return err }},
		"form entries":    {append(clinical, app.Admin), func(w app.Actor) error { _, err := c.app.FormEntries(ctx, w, "kinds: []"); return err }},
		"copy entry": {append(clinical, app.Admin), func(w app.Actor) error {
			_, err := c.app.CopyEntry(ctx, w, "kinds: []", "kinds", "a", "b", "c")
			return err
		}},
		"save form":   {[]string{app.Physician, app.Admin}, func(w app.Actor) error { _, err := c.app.SaveForm(ctx, w, app.FormText{}, 0); return err }},
		"add answer":  {[]string{app.Physician, app.Admin}, func(w app.Actor) error { return c.app.AddAnswer(ctx, w, "none", "x", "y") }},
		"intake":      {clinical, func(w app.Actor) error { _, err := c.app.Intake(ctx, w, visitID); return err }},
		"add entry":   {clinical, func(w app.Actor) error { _, err := c.app.AddEntry(ctx, w, "none", app.NewEntry{}); return err }},
		"end entry":   {clinical, func(w app.Actor) error { _, err := c.app.EndEntry(ctx, w, "none", "past", "x", "y"); return err }},
		"end allergy": {physician, func(w app.Actor) error { _, err := c.app.EndEntry(ctx, w, "none", "allergies", "x", "y"); return err }},
		"state":       {clinical, func(w app.Actor) error { _, err := c.app.State(ctx, w, "none", nil, "reviewed"); return err }},
		"set reason": {clinical, func(w app.Actor) error {
			_, err := c.app.SetReason(ctx, w, "none", "x", "Acute visit", "", 1)
			return err
		}},
		"vitals":        {clinical, func(w app.Actor) error { _, err := c.app.TakeVitals(ctx, w, "none", nil, false); return err }},
		"device":        {clinical, func(w app.Actor) error { _, err := c.app.ReadDevice(ctx, w, visitID, false); return err }},
		"strike":        {clinical, func(w app.Actor) error { _, err := c.app.StrikeVital(ctx, w, "none", "x"); return err }},
		"fetch":         {clinical, func(w app.Actor) error { _, err := c.app.FetchElsewhere(ctx, w, visitID); return err }},
		"decide":        {clinical, func(w app.Actor) error { _, err := c.app.Decide(ctx, w, visitID, nil, "take in"); return err }},
		"vital history": {clinical, func(w app.Actor) error { _, err := c.app.VitalHistory(ctx, w, patientID); return err }},
		"find medicine": {clinical, func(w app.Actor) error { _, err := c.app.FindMedicine(ctx, w, patientID, "ibu"); return err }},
		"house":         {clinical, func(w app.Actor) error { _, err := c.app.HouseFind(ctx, w, "strep"); return err }},
		"enter test": {clinical, func(w app.Actor) error {
			_, err := c.app.EnterTest(ctx, w, "none", app.HouseEntry{ID: "x", Test: "STREP", Values: map[string]string{"STREP": "negative"}, Kit: app.Kit{Lot: "a", Expires: "2099-01-01"}, Control: "valid"})
			return err
		}},
		"give vaccine": {clinical, func(w app.Actor) error {
			_, err := c.app.GiveVaccine(ctx, w, "none", app.VaccineEntry{ID: "x", Given: tdap})
			return err
		}},
		"strike vaccine": {clinical, func(w app.Actor) error { _, err := c.app.StrikeVaccine(ctx, w, "none", "x", "y"); return err }},
		"prepare order": {[]string{app.Nurse, app.Assistant}, func(w app.Actor) error {
			_, err := c.app.PrepareOrder(ctx, w, app.NewOrder{PatientID: "none", RequestID: "q", Priority: "R", Tests: []order.Line{{Test: "K", Diagnoses: []string{"I10"}}}})
			return err
		}},
		"sign prepared":   {physician, func(w app.Actor) error { _, err := c.app.SignPrepared(ctx, w, "none", secret); return err }},
		"return prepared": {physician, func(w app.Actor) error { return c.app.ReturnPrepared(ctx, w, "none", "x") }},
		"drop prepared":   {[]string{app.Nurse, app.Assistant}, func(w app.Actor) error { return c.app.DropPrepared(ctx, w, "none", "x") }},
		"compare":         {physician, func(w app.Actor) error { _, err := c.app.Compare(ctx, w, patientID, "none"); return err }},
		"merge":           {physician, func(w app.Actor) error { return c.app.Merge(ctx, w, secret, patientID, "none", "x") }},
		"take apart":      {physician, func(w app.Actor) error { _, err := c.app.TakeApart(ctx, w, secret, "none", "x"); return err }},
		"answer advice":   {clinical, func(w app.Actor) error { _, err := c.app.AnswerAdvice(ctx, w, "none", "x", "y"); return err }},
		"charges":         {clinical, func(w app.Actor) error { _, err := c.app.Charges(ctx, w, "none"); return err }},
		"set charges": {clinical, func(w app.Actor) error {
			_, err := c.app.SetCharges(ctx, w, "none", nil, coding.Facts{}, 0)
			return err
		}},
		"services":         {clinical, func(w app.Actor) error { _, err := c.app.FindServices(w, "visit"); return err }},
		"billing file":     {clinical, func(w app.Actor) error { _, err := c.app.BillingFile(ctx, w, "none", "csv"); return err }},
		"plan sets":        {clinical, func(w app.Actor) error { _, err := c.app.PlanSets(ctx, w, "none"); return err }},
		"apply set":        {clinical, func(w app.Actor) error { _, err := c.app.ApplySet(ctx, w, "none", "gout-attack", nil); return err }},
		"dismiss code":     {clinical, func(w app.Actor) error { _, err := c.app.DismissCode(ctx, w, "none", "I10"); return err }},
		"say of diagnosis": {clinical, func(w app.Actor) error { _, err := c.app.SayOfDiagnosis(ctx, w, "none", note.Said{}); return err }},
		"ask back":         {clinical, func(w app.Actor) error { _, err := c.app.AskBack(ctx, w, "none", "2w", ""); return err }},
		"to book":          {[]string{app.FrontDesk, app.Assistant, app.Nurse}, func(w app.Actor) error { _, err := c.app.ToBook(ctx, w); return err }},
		"book": {[]string{app.FrontDesk, app.Assistant, app.Nurse}, func(w app.Actor) error {
			_, err := c.app.Book(ctx, w, "none", app.Booking{Day: "2099-01-15", Time: "09:00", Kind: "Acute visit"})
			return err
		}},
		"drop follow-up": {[]string{app.FrontDesk, app.Assistant, app.Nurse, app.Physician}, func(w app.Actor) error { return c.app.DropFollowUp(ctx, w, "none", "x") }},
		"absence letter": {physician, func(w app.Actor) error {
			_, err := c.app.AbsenceLetter(ctx, w, "none", secret, app.Absence{From: "2026-05-04", Days: 1, Place: "work"})
			return err
		}},
		"pins":       {clinical, func(w app.Actor) error { _, err := c.app.Pins(ctx, w); return err }},
		"pin":        {clinical, func(w app.Actor) error { return c.app.Pin(ctx, w, "I10", false, false) }},
		"pin clinic": {[]string{app.Physician, app.Admin}, func(w app.Actor) error { return c.app.Pin(ctx, w, "I10", true, false) }},
		"read audit": {[]string{app.Admin}, func(w app.Actor) error { _, err := c.app.ReadAudit(ctx, w, "", 0); return err }},
	}
	for name, a := range acts {
		for _, role := range []string{app.Physician, app.Nurse, app.Assistant, app.FrontDesk, app.Admin} {
			err := a.try(c.who[role])
			may := false
			for _, r := range a.may {
				may = may || r == role
			}
			refused := err != nil && status(t, err) == 403
			require.Equal(t, !may, refused, "%s by the %s: %v", name, role, err)
		}
	}
}

func TestSignInIsLimitedAndSessionsLock(t *testing.T) {
	c := open(t)
	_, err := c.app.SignIn(ctx, "nobody", password)
	require.Equal(t, 401, status(t, err))
	for range 5 {
		_, err = c.app.SignIn(ctx, "physician", "guess")
		require.Equal(t, 401, status(t, err))
	}
	_, err = c.app.SignIn(ctx, "physician", password)
	require.Equal(t, 429, status(t, err), "after five wrong entries even the right one waits")
	c.now = c.now.Add(61 * time.Second)
	token, err := c.app.SignIn(ctx, "PHYSICIAN ", password)
	require.NoError(t, err)
	require.Equal(t, 0, c.count("SELECT count(*) FROM session WHERE CAST(token_hash AS TEXT) = ?", token), "the token itself is stored nowhere")

	who, staff, err := c.app.Who(ctx, token, true)
	require.NoError(t, err)
	require.Equal(t, app.Physician, who.Role)
	c.now = c.now.Add(9 * time.Minute)
	_, _, err = c.app.Who(ctx, token, false)
	require.NoError(t, err)
	c.now = c.now.Add(2 * time.Minute)
	_, _, err = c.app.Who(ctx, token, true)
	require.ErrorIs(t, err, app.ErrLocked, "a screen refreshing itself does not keep the session awake")
	require.Equal(t, 401, status(t, c.app.Unlock(ctx, who, staff, "wrong")))
	require.NoError(t, c.app.Unlock(ctx, who, staff, password))
	who, _, err = c.app.Who(ctx, token, true)
	require.NoError(t, err)
	require.NoError(t, c.app.Lock(ctx, who))
	_, _, err = c.app.Who(ctx, token, true)
	require.ErrorIs(t, err, app.ErrLocked)
	require.NoError(t, c.app.SignOut(ctx, who))
	_, _, err = c.app.Who(ctx, token, true)
	require.ErrorIs(t, err, app.ErrNoSession)
	c.now = c.now.Add(time.Hour)
	token, err = c.app.SignIn(ctx, "physician", password)
	require.NoError(t, err)
	c.now = c.now.Add(15 * time.Hour)
	_, _, err = c.app.Who(ctx, token, true)
	require.ErrorIs(t, err, app.ErrNoSession, "a session ends with the working day")
}

func TestTheSigningSecretIsLimitedToo(t *testing.T) {
	c := open(t)
	id, versions, list := c.written()
	for range 5 {
		_, err := c.app.SignNote(ctx, c.doctor(), id, "guessed", versions, list, "")
		require.Equal(t, 401, status(t, err))
	}
	_, err := c.app.SignNote(ctx, c.doctor(), id, secret, versions, list, "")
	require.Equal(t, 429, status(t, err))
}

func TestLooksAndActsLeaveAnAuditRowWithoutClinicalText(t *testing.T) {
	c := open(t)
	_, err := c.app.Chart(ctx, c.who[app.Nurse], patientID, true)
	require.NoError(t, err)
	_, err = c.app.Chart(ctx, c.who[app.Nurse], patientID, false)
	require.NoError(t, err)
	id := c.note()
	c.save(id, note.Plan, "Very private text.", 0, "a")
	rows, err := c.app.ReadAudit(ctx, c.who[app.Admin], patientID, 0)
	require.NoError(t, err)
	var acts []string
	for _, r := range rows {
		acts = append(acts, r.Who+": "+r.Act)
	}
	require.Equal(t, []string{"A physician: save note", "A physician: start visit", "A nurse: open chart"}, acts)
	require.Equal(t, 0, c.count("SELECT count(*) FROM audit WHERE act || subject || detail LIKE '%private%' OR detail LIKE '%Ottoline%'"))
}

func TestFindingPatients(t *testing.T) {
	c := open(t)
	for _, q := range []string{"ottoline", "adeyemi otto", "1968-03-14", "SK-1", "555-0118", "5550118", "arsh", "ot ma"} {
		got, err := c.app.Find(ctx, c.doctor(), q)
		require.NoError(t, err)
		require.Len(t, got, 1, q)
	}
	for _, q := range []string{"x", "", `"`, `' OR 1=1 --`, "%%%", "ottolina", `marsh" OR "`, "NEAR(", "__"} {
		got, err := c.app.Find(ctx, c.doctor(), q)
		require.NoError(t, err, q)
		require.Empty(t, got, q)
	}
}

// A signing act under way while the screen is locked does not unlock it.
func TestALockHoldsAgainstAnActUnderWay(t *testing.T) {
	c := open(t)
	id, versions, list := c.written()
	token, err := c.app.SignIn(ctx, "physician", password)
	require.NoError(t, err)
	underWay, _, err := c.app.Who(ctx, token, true)
	require.NoError(t, err)
	require.NoError(t, c.app.Lock(ctx, underWay))
	_, err = c.app.SignNote(ctx, underWay, id, secret, versions, list, "")
	require.NoError(t, err, "what was begun before the lock is finished")
	_, _, err = c.app.Who(ctx, token, true)
	require.ErrorIs(t, err, app.ErrLocked)
}
