package app_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/desk"
	results "deftledger/app/result"
)

// other is a second patient in the practice of the tests, and message a message of several.
const other = "PID|2||||Brekke^Tor||19501101|M\r"

func (c *clinic) report(id string) results.ReportView {
	c.Helper()
	v, err := c.app.Result.Report(ctx, c.doctor(), id)
	require.NoError(c, err)
	return v
}

func (c *clinic) only() results.ReportView {
	c.Helper()
	d := c.desk()
	require.Len(c, d.Reports, 1)
	return c.report(d.Reports[0].ID)
}

// What a message says of one patient is matched by itself: the other is held, shown with
// every value, and attaching one files nothing of the other.
func TestSeveralPatientsInOneMessage(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	c.receive(oru("M1", o.Placer+"-1", "F", "4.4")+"NTE|1||Said of the potassium of Ottoline\r"+other+"NTE|1||Said of Tor\r"+
		"OBR|2||X1|INR^Prothrombin time^L|||20260504|||||||||||||||20260504|||F\rNTE|1||Said of the INR\rOBX|1|NM|INR^INR^L||9.9||2.0-3.0|HH|||F\r"+
		"PID|3||||Nobody^At All||19990101|F\rOBR|3||X2|NA^Sodium^L|||20260504|||||||||||||||20260504|||F\rOBX|1|NM|NA^Sodium^L||140|mmol/L|136-145|N|||F\r", "AA")
	v := c.only()
	require.Equal(t, "Said of the potassium of Ottoline", v.Values[0].Notes)
	d := c.desk()
	require.Len(t, d.Quarantine, 2)
	tor, nobody := d.Quarantine[0], d.Quarantine[1]
	if tor.Family != "Brekke" {
		tor, nobody = nobody, tor
	}
	require.Equal(t, []string{"Said of Tor", "Said of the INR", ""}, []string{tor.Notes, tor.Reports[0].Notes, tor.Reports[0].Values[0].Notes})
	require.Equal(t, "critical above", tor.Reports[0].Values[0].Side)
	require.Len(t, tor.Others, 2)
	states := map[string]string{}
	for _, x := range tor.Others {
		states[x.Family] = x.State
	}
	require.Equal(t, map[string]string{"Marsh-Adeyemi": "filed", "Nobody": "quarantined"}, states)
	require.NoError(t, c.app.Result.SetAside(ctx, c.doctor(), nobody.ID, "Not ours."))
	require.NoError(t, c.app.Result.Attach(ctx, c.doctor(), tor.ID, patientID, "Two names of one person."))
	require.Equal(t, 2, c.count("SELECT count(*) FROM report"), "that of nobody is in no chart")
	require.Equal(t, 1, c.count("SELECT count(*) FROM inbox WHERE state = 'settled'"))
	require.Equal(t, 0, c.count("SELECT count(*) FROM line WHERE kind = 'held' AND closed_at = ''"))
	require.Equal(t, act.Missing, kind(t, func() error { _, err := c.app.Result.Held(ctx, c.doctor(), "1-9"); return err }()))
	require.Equal(t, act.Missing, kind(t, func() error { _, err := c.app.Result.Held(ctx, c.doctor(), "1; x"); return err }()))
}

// What was attached to the wrong person leaves that chart, sealed, and waits again; what was
// signed under it stays where it was.
func TestAReportLeavesAChart(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	c.receive(oru("M1", o.Placer+"-1", "F", "4.4"), "AA")
	v := c.only()
	c.signAll()
	require.Equal(t, "reviewed", c.state(o))
	require.Equal(t, act.Forbidden, kind(t, c.app.Result.Detach(ctx, c.who[act.Assistant], v.ID, "Not hers.")))
	require.Equal(t, act.Invalid, kind(t, c.app.Result.Detach(ctx, c.doctor(), v.ID, " ")))
	require.NoError(t, c.app.Result.Detach(ctx, c.doctor(), v.ID, "Not hers."))
	require.Equal(t, act.Conflict, kind(t, c.app.Result.Detach(ctx, c.doctor(), v.ID, "Again.")))
	require.NotEqual(t, "reviewed", c.state(o), "the order waits for its result again")
	gone := c.report(v.ID)
	require.True(t, gone.Gone)
	require.Len(t, gone.Reviews, 1)
	d := c.desk()
	require.Empty(t, d.Reports)
	require.Len(t, d.Quarantine, 1)
	require.Contains(t, d.Quarantine[0].Reason, "Not hers.")
	require.Equal(t, 1, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'result left the chart'"))
	require.Empty(t, c.verify())
	for _, r := range c.everything(patientID).Reports {
		require.NotEqual(t, v.ID, r.ID, "it is no longer in the chart")
	}
	require.Equal(t, act.Conflict, kind(t, c.app.Result.SignReport(ctx, c.doctor(), results.SignedResult{ReportID: v.ID, Told: "telephone", Secret: secret,
		Issue: gone.Issue, Version: gone.Version})))
	// It is hers after all.
	require.NoError(t, c.app.Result.Attach(ctx, c.doctor(), d.Quarantine[0].ID, patientID, ""))
	require.NotEqual(t, v.ID, c.only().ID)
	c.signAll()
	require.Equal(t, "reviewed", c.state(o))
	require.Empty(t, c.verify())
}

// A later message never disappears, in whatever order the statuses come: what was signed is
// open again as soon as it reads differently, and stays closed when it is the same.
func TestWhatComesAfterASignature(t *testing.T) {
	t.Parallel()
	base := func(control, status string, change ...string) string {
		return oru(control, "SK10001-1", status, "4.4", append(change, "||||F", "|N|||F")...)
	}
	for _, k := range []struct {
		name    string
		text    string
		reopens bool
	}{
		{"the same again", base("M2", "F"), false},
		{"the same, sent at a later time", base("M2", "F", "20260504115500", "20260504130000"), false},
		{"another value", base("M2", "F", "4.4", "4.5"), true},
		{"another precision", base("M2", "F", "|4.4|", "|4.40|"), true},
		{"another unit", base("M2", "F", "mmol/L", "mg/dL"), true},
		{"another range", base("M2", "F", "3.5-5.1", "3.5-4.1"), true},
		{"another flag", oru("M2", "SK10001-1", "F", "4.4", "||||F", "|H|||F"), true},
		{"a value withdrawn", oru("M2", "SK10001-1", "F", "4.4", "||||F", "|N|||W"), true},
		{"a note more", base("M2", "F") + "NTE|1||Hemolyzed\r", true},
		{"another time of collection", base("M2", "F", "202605040800", "202605030800"), true},
		{"corrected, and reads the same", base("M2", "C"), true},
		{"preliminary", base("M2", "P"), true},
		{"without a status", base("M2", ""), true},
		{"cannot be done", base("M2", "X"), true},
		{"order received", base("M2", "O"), true},
		{"a status nobody knows", base("M2", "Q"), true},
		{"no value any more", strings.Split(base("M2", "F"), "OBX|")[0], true},
		{"older by its own time", base("M2", "C", "20260504115500", "20260504080100", "4.4", "9.9"), false},
	} {
		t.Run(k.name, func(t *testing.T) {
			c := open(t)
			c.order("K")
			c.step()
			c.receive(base("M1", "F"), "AA")
			v := c.only()
			c.signAll()
			c.receive(k.text, "AA")
			require.Empty(t, c.desk().Quarantine)
			require.Equal(t, 2, c.count("SELECT count(*) FROM report_issue"), "it is kept")
			if !k.reopens {
				require.Empty(t, c.desk().Reports)
				require.Equal(t, "4.4", c.report(v.ID).Values[0].Text)
				return
			}
			v = c.only()
			require.True(t, v.Reopened)
			says := v.WasStatus != "" || v.WasNotes != "" || len(v.Removed) > 0
			for _, x := range v.Values {
				says = says || x.Before != nil
			}
			says = says || v.CollectedAt != "2026-05-04T08:00-04:00"
			require.True(t, says, "what is different is said")
			require.False(t, v.Waits, "it was final: nobody knows of more to come")
			c.signAll()
			require.Empty(t, c.desk().Reports, "and can be closed")
			require.Empty(t, c.verify())
		})
	}
}

// A number of the laboratory alone names no report.
func TestANumberThatIsUsedAgain(t *testing.T) {
	c := open(t)
	first, second := c.order("K"), c.order("K")
	c.step()
	c.receive(oru("M1", first.Placer+"-1", "F", "4.4", "BR-"+first.Placer+"-1", "BR-7"), "AA")
	require.False(t, c.only().Details.Reused)
	c.receive(oru("M2", second.Placer+"-1", "F", "5.0", "BR-"+second.Placer+"-1", "BR-7"), "AA")
	require.Len(t, c.desk().Reports, 2, "another order: a report of its own")
	c.receive(oru("M3", first.Placer+"-1", "F", "4.1", "BR-"+first.Placer+"-1", "BR-7", "BRINEHOUSE|DEFT", "NORTHSOUND|DEFT"), "AA")
	require.Len(t, c.desk().Reports, 3, "another laboratory: a report of its own")
	reused := 0
	for _, r := range c.desk().Reports {
		if c.report(r.ID).Details.Reused {
			reused++
		}
	}
	require.Equal(t, 2, reused, "and it is pointed out")
	c.receive(oru("M4", first.Placer+"-1", "C", "4.2", "BR-"+first.Placer+"-1", "BR-7"), "AA")
	require.Len(t, c.desk().Reports, 3, "a correction of the first")
	require.Equal(t, 3, c.count("SELECT count(*) FROM report"))
}

// Two susceptibilities of one culture, and two of the same in one message, hide no other.
func TestReportsThatLookAlikeInOneMessage(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	text := oru("M1", o.Placer+"-1", "F", "4.4")
	obr := text[strings.Index(text, "OBR|"):]
	parent := func(sub string) string { return strings.Replace(obr, "|||F\r", "|||F|ORG^"+sub+"\r", 1) }
	c.receive(text+parent("1")+parent("2")+obr, "AA")
	require.Empty(t, c.desk().Quarantine)
	require.Equal(t, 4, c.count("SELECT count(*) FROM report"))
	corrected := strings.NewReplacer("|M1|", "|M2|", "|4.4|", "|4.6|").Replace(text + parent("1") + parent("2") + obr)
	c.receive(corrected, "AA")
	require.Equal(t, 4, c.count("SELECT count(*) FROM report"), "each finds its own again")
	require.Equal(t, 8, c.count("SELECT count(*) FROM report_issue"))
}

// What is filed without a judgement says so, in lists and on its page.
func TestNothingIsInRangeThatNobodyJudged(t *testing.T) {
	for _, k := range []struct {
		name                string
		obx                 string
		side                string
		inRange, notJudged  int
		above, abnormal, at int
	}{
		{"judged", "OBX|1|NM|K^Potassium^L||4.4|mmol/L|3.5-5.1|N|||F", "in range", 1, 0, 0, 0, 0},
		{"no range", "OBX|1|NM|K^Potassium^L||4.4|mmol/L||N|||F", "not judged", 0, 1, 0, 0, 0},
		{"a text", "OBX|1|TX|K^Potassium^L||see comment||||||F", "not judged", 0, 1, 0, 0, 0},
		{"a document", "OBX|1|ED|K^Potassium^L||LAB^AP^PDF^Base64^JVBERi0xLjQ=||||||F", "not judged", 0, 1, 0, 0, 0},
		{"cannot be obtained", "OBX|1|NM|K^Potassium^L||4.4|mmol/L|3.5-5.1|N|||X", "not judged", 0, 1, 0, 0, 0},
		{"withdrawn", "OBX|1|NM|K^Potassium^L||9.4|mmol/L|3.5-5.1|HH|||W", "not judged", 0, 1, 0, 0, 0},
		{"above, and no flag", "OBX|1|NM|K^Potassium^L||5.4|mmol/L|3.5-5.1||||F", "above", 0, 0, 1, 0, 0},
		{"flagged without a side", "OBX|1|ST|K^Potassium^L||positive||negative|A|||F", "abnormal", 0, 0, 0, 1, 0},
		{"the gravest of several", "OBX|1|NM|K^Potassium^L||7.4|mmol/L|3.5-5.1|N~HH|||F", "critical above", 0, 0, 0, 0, 1},
	} {
		t.Run(k.name, func(t *testing.T) {
			c := open(t)
			o := c.order("K")
			c.step()
			text := oru("M1", o.Placer+"-1", "F", "4.4")
			c.receive(text[:strings.Index(text, "OBX|")]+k.obx+"\r", "AA")
			v := c.only()
			require.Equal(t, k.side, v.Values[0].Side)
			require.Equal(t, []int{k.inRange, k.notJudged, k.above, k.abnormal}, []int{v.InRange, v.NotJudged, v.Above, v.Abnormal})
			require.Equal(t, k.at == 1, v.Critical != "")
			rows, err := c.app.Desk.MyDesk(ctx, c.doctor(), desk.DeskSought{List: act.ResultList, Each: true})
			require.NoError(t, err)
			require.Equal(t, k.notJudged, rows.Rows[0].Flags.NotJudged)
		})
	}
}

// Each message of a batch is stored and answered by itself; that one of them is no message
// holds up no other, and is listed until a person has settled it.
func TestABatchIsTakenMessageByMessage(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	batch := "FHS|^~\\&|LIS|BRINEHOUSE|||2026||||F1\rBHS|^~\\&|LIS|BRINEHOUSE|||2026||||B1\r" + oru("M1", o.Placer+"-1", "F", "4.4") +
		"MSH|^~\\&|LIS|BRINEHOUSE|||2026||ORU^R01||P|2.3\rPID|1\r" + oru("M2", "SK9", "F", "4.4", "Ottoline", "Nobody") + "BTS|3\rFTS|1\r"
	answer := string(c.app.Result.Receive("test", []byte(batch)))
	c.step()
	for _, says := range []string{"FHS|", "|F1\r", "|B1\r", "MSA|AA|M1", "MSA|AR|", "no control identifier", "MSA|AA|M2", "BTS|3|"} {
		require.Contains(t, answer, says)
	}
	d := c.desk()
	require.Len(t, d.Reports, 1)
	require.Len(t, d.Quarantine, 2)
	i := 0
	if d.Quarantine[1].Readable {
		i = 1
	}
	refused := d.Quarantine[1-i]
	require.Contains(t, refused.Reason, "Refused: ")
	require.Contains(t, refused.Raw, "PID|1")
	c.app.Result.Receive("test", []byte(batch))
	c.step()
	require.Len(t, c.desk().Quarantine, 2, "the same again is listed once")
	require.Len(t, c.desk().Reports, 1)
	require.Equal(t, act.Invalid, kind(t, c.app.Result.Attach(ctx, c.doctor(), refused.ID, patientID, "x")))
	require.NoError(t, c.app.Result.SetAside(ctx, c.doctor(), refused.ID, "The laboratory sent it again."))
	require.Len(t, c.desk().Quarantine, 1)
	// A batch that is not whole says so, and what came is filed all the same.
	short := "BHS|^~\\&|LIS|BRINEHOUSE\r" + oru("M5", o.Placer+"-1", "C", "4.6") + "BTS|2\r"
	require.Contains(t, string(c.app.Result.Receive("test", []byte(short))), "2 messages, and 1 came")
	c.step()
	require.Len(t, c.desk().Quarantine, 2)
	require.Equal(t, "4.6", c.only().Values[0].Text)
	require.Contains(t, string(c.app.Result.TooLarge("test", []byte(oru("M6", o.Placer, "F", strings.Repeat("9", 100_000))))), "MSA|AR|M6")
	require.Len(t, c.desk().Quarantine, 3)
}

// Whose an answer is, is compared before anything of it is shown.
func TestAnAnswerAboutSomebodyElseIsNotTaken(t *testing.T) {
	c := open(t)
	e := c.others()
	p := &e.People[0]
	p.Gender = "male" // the pharmacy means somebody else of that name and day
	out, err := c.app.Outside.FetchElsewhere(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	says := strings.Join(out.Problems, " ")
	require.Contains(t, says, "differs in sex")
	for _, x := range out.Intake.Incoming {
		require.NotEqual(t, "pharmacy network", x.Source)
	}
	require.Equal(t, 0, c.count("SELECT count(*) FROM incoming_entry WHERE source = 'pharmacy network'"))
	require.Positive(t, out.New, "the portal knows her by our number")
	p.Gender = "female"
	out, err = c.app.Outside.FetchElsewhere(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	require.Empty(t, out.Problems)
	require.Positive(t, c.count("SELECT count(*) FROM incoming_entry WHERE source = 'pharmacy network'"))
}
