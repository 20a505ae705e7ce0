package app_test

import (
	"context"
	"errors"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/app"
	"deftledger/app/act"
	"deftledger/app/forms"
	"deftledger/app/session"
	"deftledger/core/note"
	"deftledger/store"
)

// Who may do what is written down here once more, by hand. Every act of every room is
// found by reflection: one that is missing here fails, as does one that looks at what it
// was given before it looks at who gives it.
func TestEveryActChecksTheRoleFirst(t *testing.T) {
	clinical := []string{act.Physician, act.Practitioner, act.Associate, act.Nurse, act.Assistant}
	everybody := append(slices.Clone(clinical), act.FrontDesk)
	writers := append(slices.Clone(clinical), act.Admin)
	physician, admin := []string{act.Physician, act.Practitioner, act.Associate}, []string{act.Admin}
	alone := []string{act.Physician}
	preparing, nursing := []string{act.Nurse, act.Assistant}, []string{act.Nurse}
	booking := []string{act.FrontDesk, act.Assistant, act.Nurse}
	matching := []string{act.Physician, act.Practitioner, act.Associate, act.Nurse}
	writing := []string{act.Practitioner, act.Associate, act.Nurse, act.Assistant}
	forming := []string{act.Physician, act.Admin}
	anybody := append(slices.Clone(everybody), act.Admin)
	may := map[string][]string{
		"Session.Lock": anybody, "Session.SignOut": anybody, "Session.SetSingleKeys": anybody, "Session.Unlock": anybody, "Session.OwnSessions": anybody,
		"Session.EndOwnSession": anybody, "Session.HasFactor": anybody, "Session.OwnNPI": anybody, "Session.ConfirmNPI": anybody, "Session.BeginFactor": anybody, "Session.ConfirmFactor": anybody, "Session.DropFactor": anybody, "Session.ChangeOwnSecrets": anybody,
		"Session.Colleagues": clinical, "Session.ReadAudit": admin,

		"Circle.Lists": anybody, "Circle.SetUsual": anybody, "Circle.SetWidth": admin, "Circle.SetReviewer": admin, "Circle.SetTeam": admin,
		"Circle.DropTeam": admin, "Circle.AddCover": forming, "Circle.EndCover": forming, "Circle.UsualPatients": forming,
		"Circle.Door": clinical, "Circle.OpenChart": clinical, "Circle.Openings": forming, "Circle.Opening": forming, "Circle.ReviewOpening": forming,

		"Visit.Day": everybody, "Visit.Visit": clinical, "Visit.MoveVisit": everybody,
		"Visit.AskBack": clinical, "Visit.AskBackOf": clinical, "Visit.ToBook": booking, "Visit.Book": booking, "Visit.DropFollowUp": append(slices.Clone(booking), physician...),

		"Reminder.Reminders": clinical, "Reminder.Why": clinical, "Reminder.Decide": clinical, "Reminder.TakeBack": clinical, "Reminder.Answer": clinical, "Reminder.Questionnaire": clinical, "Reminder.Screen": clinical, "Reminder.Beforehand": clinical, "Reminder.Harm": clinical, "Reminder.CloseHarm": physician,
		"Registry.Open": clinical, "Registry.Settle": clinical, "Registry.File": clinical,
		"Result.Announced": clinical, "Result.TakeCritical": physician, "Result.TellCritical": clinical, "Result.Urgency": forming, "Result.SetUrgency": forming,
		"Packet.Open": clinical, "Packet.Settle": matching, "Packet.TakeOver": physician, "Packet.DeskWords": everybody, "Packet.ToldAtDesk": everybody, "Packet.HandOver": clinical, "Packet.AnswerHandOver": clinical, "Packet.Telling": clinical, "Packet.Tried": clinical, "Packet.Letters": clinical,
		"Session.SetEachReport": anybody, "Session.EachReport": anybody,
		"Recall.Recall": alone, "Recall.Letters": everybody, "Recall.Open": everybody, "Recall.Close": everybody,
		"Reminder.Book": writers, "Reminder.RuleFile": writers, "Reminder.PlanFHIR": writers, "Reminder.LeafletPDF": clinical, "Reminder.RemindersFHIR": clinical, "Reminder.Set": forming, "Reminder.SetEdition": forming, "Reminder.OldTold": forming, "Reminder.TakeIn": forming, "Reminder.RunPractice": forming, "Reminder.RunOf": forming, "Reminder.RecallCSV": forming,
		"Chart.Find": everybody, "Chart.Chart": clinical, "Chart.Timeline": clinical,
		"Chart.AddProblem": physician, "Chart.DescribeProblem": physician, "Chart.EndProblem": physician,
		"Chart.Compare": alone, "Chart.Merge": alone, "Chart.TakeApart": alone,

		"Note.StartVisit": clinical, "Note.Note": clinical, "Note.SavePart": clinical, "Note.SettleConflict": clinical, "Note.Writing": clinical,
		"Note.SetDiagnoses": clinical, "Note.JoinDiagnosis": clinical, "Note.SayOfDiagnosis": clinical, "Note.DismissCode": clinical,
		"Note.AnswerAdvice": clinical,
		"Note.SetFindings":  clinical, "Note.ReadLine": clinical, "Note.LastFindings": clinical, "Note.SearchFindings": alone, // of no patient: over the whole practice

		"Note.Ask": clinical, "Note.Answer": clinical, "Note.SaveDrawing": clinical, "Note.LeaveNote": clinical,
		"Note.PreviewForward": clinical, "Note.Forward": clinical, "Note.Looked": clinical, "Note.Beside": clinical, "Note.Bring": clinical,
		"Note.ClosingList": clinical, "Note.SignNote": physician, "Note.Amend": physician, "Note.Retract": physician,

		"Assess.Charges": clinical, "Assess.SetCharges": clinical, "Assess.AddCharge": clinical, "Assess.FindServices": clinical,
		"Assess.BillingFile": clinical,
		"Assess.MeasuresOf":  clinical, "Assess.Pins": clinical, "Assess.Pin": clinical,

		"Plan.PlanSets": clinical, "Plan.ApplySet": clinical, "Plan.PlanAsSet": clinical, "Plan.KeepPlanAsSet": clinical,

		"Order.Tests": clinical, "Order.Order": clinical, "Order.OrdersAt": clinical, "Order.PreparedOrder": clinical,
		"Order.PlaceOrder": physician, "Order.Connections": admin, "Order.SetLaboratory": admin, "Order.TryLaboratory": admin, "Order.Coverage": clinical, "Order.NoticePDF": clinical, "Order.CancelOrder": physician, "Order.Pad": clinical, "Order.Needed": clinical, "Order.Repeated": clinical, "Order.Called": clinical, "Order.AskLaboratory": clinical, "Order.SendAgain": clinical, "Order.History": matching, "Order.Requisition": clinical, "Order.Labels": clinical,
		"Order.Specimens": clinical, "Order.Drawn": clinical, "Order.NotDrawn": clinical, "Order.PickedUp": clinical,
		"Order.PrepareOrder": preparing, "Order.DropPrepared": preparing, "Order.SignPrepared": physician, "Order.ReturnPrepared": physician,

		"Directory.Find": anybody, "Directory.Keep": anybody,
		"Pad.Telephone": nursing, "Pad.Taken": clinical, "Pad.Own": physician, "Pad.Disown": physician, "Pad.Redress": nursing, "Pad.Sign": physician, "Pad.Prepare": preparing, "Referral.Concerns": clinical, "Referral.Ready": physician, "Referral.SheetPDF": clinical,
		"Referral.UnderWay": matching, "Referral.Here": clinical, "Referral.Parts": clinical, "Referral.Refer": physician, "Referral.Prepare": preparing, "Referral.SignPrepared": physician, "Referral.LetterPDF": clinical, "Referral.Tell": clinical,
		"Referral.Answer": physician, "Referral.Cancel": physician, "Referral.Read": physician, "Referral.Return": physician, "Referral.Drop": preparing, "Referral.OfPatient": clinical, "Referral.Open": clinical,

		"Prescribe.Read": clinical, "Prescribe.Prescribe": physician, "Prescribe.Prepare": writing, "Prescribe.SignPrepared": physician, "Prescribe.PrintPDF": clinical, "Prescribe.Tell": clinical,
		"Prescribe.Cancel": physician, "Prescribe.Stop": physician, "Prescribe.Return": physician, "Prescribe.Drop": writing, "Prescribe.OfPatient": clinical, "Prescribe.Open": clinical,
		"Prescribe.TakeMessage": everybody, "Prescribe.Inquiry": clinical, "Prescribe.AttachInquiry": physician, "Prescribe.Answer": matching,
		"Result.Report": clinical, "Result.EnterPaper": clinical, "Result.SignReport": matching, "Result.CallIn": everybody, "Result.Called": clinical, "Result.TellCalled": clinical, "Result.JoinCalled": clinical, "Result.EndCalled": physician,
		"Result.Copy": clinical, "Result.ReadCopy": clinical, "Result.AddToReview": physician, "Result.Standing": clinical, "Result.SetStanding": alone, "Result.Permitted": nursing,
		"Result.Held": matching, "Result.Attach": matching,
		"Result.Across": clinical, "Result.Attached": clinical, "Result.GiveBack": matching,
		"Printing.Print": clinical, "Printing.Batches": clinical, "Printing.Batch": clinical, "Printing.PDF": clinical, "Printing.FHIR": clinical, "Printing.CSV": clinical,
		"Loop.Loop":        forming,
		"Release.HoldBack": physician, "Release.Release": physician, "Release.Prolong": physician, "Release.Reasons": physician, "Release.Hold": clinical,
		"Result.SetAside": matching, "Result.TakeUp": matching, "Result.Detach": matching,

		"Registration.Choices": everybody, "Registration.FindAlike": everybody, "Registration.Register": everybody,
		"Registration.Registration": everybody, "Registration.ChangeRegistration": everybody, "Registration.AddCard": everybody,
		"Registration.Card": everybody, "Visit.BeginWalkIn": everybody,

		"Intake.Intake": clinical, "Intake.AddEntry": clinical, "Intake.EndEntry": clinical, "Intake.State": clinical,
		"Intake.SetReason":  clinical,
		"Intake.TakeVitals": clinical, "Intake.KeepVitals": clinical, "Intake.StrikeVital": clinical, "Intake.VitalHistory": clinical,
		"Intake.FindMedicine": clinical, "Intake.Told": clinical, "Intake.Tolerated": clinical,
		"Intake.HouseFind": clinical, "Intake.EnterTest": clinical, "Intake.GiveVaccine": clinical, "Intake.StrikeVaccine": clinical,

		"Record.Receive": clinical, "Record.Open": clinical, "Record.Records": clinical, "Record.File": clinical, "Record.Confirm": everybody, "Record.Decide": clinical, "Record.SettleCertain": clinical, "Record.LeaveRest": clinical, "Record.HandOn": clinical, "Record.Sign": physician,

		"Sharing.Page": everybody, "Sharing.Agree": everybody, "Sharing.Ask": everybody, "Sharing.Confirm": everybody, "Sharing.Unlink": everybody, "Sharing.Fetch": everybody, "Sharing.TakeShared": everybody, "Sharing.Give": clinical, "Sharing.Held": clinical, "Sharing.HoldBack": clinical, "Sharing.Sent": clinical, "Sharing.Settle": clinical, "Sharing.Clients": admin, "Sharing.GiveToken": admin, "Sharing.EndToken": admin,

		"Outside.FetchElsewhere": clinical, "Outside.Decide": clinical, "Outside.ReadDevice": clinical,

		"Paper.NotePDF": clinical, "Paper.FileSection": clinical, "Paper.Document": clinical, "Paper.SendFax": clinical,
		"Paper.SettleSent": clinical, "Paper.SentOne": clinical,
		"Paper.Letters": clinical, "Paper.SignLetter": physician, "Paper.AbsenceLetter": physician, "Paper.GiveLeaflet": clinical,
		"Paper.MessagePatient": clinical, "Paper.ChartParts": clinical,

		"Desk.MyDesk": clinical, "Desk.Count": clinical, "Desk.Holdings": forming, "Desk.HeldBy": forming, "Desk.Unsigned": anybody, // empty for those who sign nothing

		"Forms.ListForms": writers, "Forms.ReadForm": writers, "Forms.FormVersions": writers, "Forms.FormEntries": writers,
		"Forms.CopyEntry": writers, "Forms.TryForm": writers,
		"Forms.SaveForm": forming, "Forms.AddAnswer": forming,
		"Forms.WritingTools": clinical, "Forms.MedicalWords": clinical, "Forms.AddWord": clinical,
	}
	c := open(t)
	tried := 0
	for name, f := range actsOf(c.app) {
		roles, known := may[name]
		require.True(t, known, "%s is an act that nobody wrote down here", name)
		tried++
		for _, role := range anybody {
			args := []reflect.Value{}
			for i := range f.Type().NumIn() {
				switch in := f.Type().In(i); in {
				case reflect.TypeFor[context.Context]():
					args = append(args, reflect.ValueOf(ctx))
				case reflect.TypeFor[act.Actor]():
					args = append(args, reflect.ValueOf(c.who[role]))
				default:
					args = append(args, reflect.Zero(in))
				}
			}
			out := f.Call(args)
			err, _ := out[len(out)-1].Interface().(error)
			var r *act.Refusal
			refused := errors.As(err, &r) && r.Kind == act.Forbidden
			assert.Equal(t, !slices.Contains(roles, role), refused, "%s by the %s: %v", name, role, err)
		}
	}
	require.Equal(t, len(may), tried, "something is written down here that is no act")
}

// actsOf finds the acts of all rooms: their methods that take who acts and what is acted
// on, with no row of the database and no function among it.
func actsOf(a *app.App) map[string]reflect.Value {
	out := map[string]reflect.Value{}
	rooms := reflect.ValueOf(a).Elem()
	ground := reflect.TypeFor[*act.Office]()
	for i := range rooms.NumField() {
		room := rooms.Field(i)
		if room.Type() == ground {
			continue
		}
		for m := range room.NumMethod() {
			method := room.Type().Method(m)
			if _, below := ground.MethodByName(method.Name); below {
				continue
			}
			takes := map[reflect.Type]bool{}
			plain := true
			for k := 1; k < method.Type.NumIn(); k++ {
				in := method.Type.In(k)
				takes[in] = true
				plain = plain && in.Kind() != reflect.Func && in != reflect.TypeFor[*store.Q]() && !strings.Contains(in.String(), "store.") &&
					!strings.Contains(in.String(), "map[string]string")
			}
			// Unlocking hands over the person's own row with the session.
			if takes[reflect.TypeFor[act.Actor]()] && (plain || method.Name == "Unlock") {
				out[rooms.Type().Field(i).Name+"."+method.Name] = room.Method(m)
			}
		}
	}
	return out
}

// Some acts are open to fewer by what they are given.
func TestWhatIsGivenCanNeedMore(t *testing.T) {
	c := open(t)
	for _, x := range []struct {
		name string
		may  []string
		try  func(act.Actor) error
	}{
		{"pin for the clinic", []string{act.Physician, act.Admin},
			func(w act.Actor) error { return c.app.Assess.Pin(ctx, w, "I10", true, false) }},
		{"end an allergy", []string{act.Physician}, func(w act.Actor) error {
			_, err := c.app.Intake.EndEntry(ctx, w, "none", "allergies", "x", "y")
			return err
		}},
		{"keep a snippet of one's own", []string{act.Physician, act.Nurse, act.Assistant}, func(w act.Actor) error {
			_, err := c.app.Forms.SaveForm(ctx, w, forms.FormText{FormRow: forms.FormRow{Kind: "snippets", ID: "mine", Owner: "me"}}, 0)
			return err
		}},
	} {
		for _, role := range []string{act.Physician, act.Nurse, act.Assistant, act.FrontDesk, act.Admin} {
			err := x.try(c.who[role])
			var r *act.Refusal
			require.Equal(t, !slices.Contains(x.may, role), errors.As(err, &r) && r.Kind == act.Forbidden, "%s by the %s: %v", x.name, role, err)
		}
	}
}

func TestSignInIsLimitedAndSessionsLock(t *testing.T) {
	c := open(t)
	_, err := c.app.Session.SignIn(ctx, "nobody", password, "")
	require.Equal(t, act.Unproven, kind(t, err))
	for range 5 {
		_, err = c.app.Session.SignIn(ctx, "physician", "guess", "")
		require.Equal(t, act.Unproven, kind(t, err))
	}
	_, err = c.app.Session.SignIn(ctx, "physician", password, "")
	require.Equal(t, act.TooOften, kind(t, err), "after five wrong entries even the right one waits")
	c.now = c.now.Add(61 * time.Second)
	token, err := c.app.Session.SignIn(ctx, "PHYSICIAN ", password, "")
	require.NoError(t, err)
	require.Equal(t, 0, c.count("SELECT count(*) FROM session WHERE CAST(token_hash AS TEXT) = ?", token),
		"the token itself is stored nowhere")

	who, staff, err := c.app.Session.Who(ctx, token, true)
	require.NoError(t, err)
	require.Equal(t, act.Physician, who.Role)
	c.now = c.now.Add(9 * time.Minute)
	_, _, err = c.app.Session.Who(ctx, token, false)
	require.NoError(t, err)
	c.now = c.now.Add(2 * time.Minute)
	_, _, err = c.app.Session.Who(ctx, token, true)
	require.ErrorIs(t, err, session.ErrLocked, "a screen refreshing itself does not keep the session awake")
	require.Equal(t, act.Unproven, kind(t, c.app.Session.Unlock(ctx, who, staff, "wrong")))
	require.NoError(t, c.app.Session.Unlock(ctx, who, staff, password))
	who, _, err = c.app.Session.Who(ctx, token, true)
	require.NoError(t, err)
	require.NoError(t, c.app.Session.Lock(ctx, who))
	_, _, err = c.app.Session.Who(ctx, token, true)
	require.ErrorIs(t, err, session.ErrLocked)
	require.NoError(t, c.app.Session.SignOut(ctx, who))
	_, _, err = c.app.Session.Who(ctx, token, true)
	require.ErrorIs(t, err, session.ErrNoSession)
	c.now = c.now.Add(time.Hour)
	token, err = c.app.Session.SignIn(ctx, "physician", password, "")
	require.NoError(t, err)
	c.now = c.now.Add(15 * time.Hour)
	_, _, err = c.app.Session.Who(ctx, token, true)
	require.ErrorIs(t, err, session.ErrNoSession, "a session ends with the working day")
}

func TestTheSigningSecretIsLimitedToo(t *testing.T) {
	c := open(t)
	id, versions, list := c.written()
	for range 5 {
		_, err := c.app.Note.SignNote(ctx, c.doctor(), id, "guessed", versions, list, "")
		require.Equal(t, act.Unproven, kind(t, err))
	}
	_, err := c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, list, "")
	require.Equal(t, act.TooOften, kind(t, err))
}

func TestLooksAndActsLeaveAnAuditRowWithoutClinicalText(t *testing.T) {
	c := open(t)
	_, err := c.app.Chart.Chart(ctx, c.who[act.Nurse], patientID)
	require.NoError(t, err)
	_, err = c.app.Chart.Chart(ctx, c.who[act.Nurse], patientID)
	require.NoError(t, err)
	id := c.note()
	c.save(id, note.Plan, "Very private text.", 0, "a")
	rows, err := c.app.Session.ReadAudit(ctx, c.who[act.Admin], patientID, 0)
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
		got, err := c.app.Chart.Find(ctx, c.doctor(), q)
		require.NoError(t, err)
		require.Len(t, got, 1, q)
	}
	for _, q := range []string{"x", "", `"`, `' OR 1=1 --`, "%%%", "ottolina", `marsh" OR "`, "NEAR(", "__"} {
		got, err := c.app.Chart.Find(ctx, c.doctor(), q)
		require.NoError(t, err, q)
		require.Empty(t, got, q)
	}
}

// A signing act under way while the screen is locked does not unlock it.
func TestALockHoldsAgainstAnActUnderWay(t *testing.T) {
	c := open(t)
	id, versions, list := c.written()
	token, err := c.app.Session.SignIn(ctx, "physician", password, "")
	require.NoError(t, err)
	underWay, _, err := c.app.Session.Who(ctx, token, true)
	require.NoError(t, err)
	require.NoError(t, c.app.Session.Lock(ctx, underWay))
	_, err = c.app.Note.SignNote(ctx, underWay, id, secret, versions, list, "")
	require.NoError(t, err, "what was begun before the lock is finished")
	_, _, err = c.app.Session.Who(ctx, token, true)
	require.ErrorIs(t, err, session.ErrLocked)
}
