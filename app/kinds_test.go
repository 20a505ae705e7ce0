package app_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	results "deftledger/app/result"
)

// written is a message about the patient of the tests with some OBX, for an order of theirs.
func written(control, placer, status, obx string) string {
	return `MSH|^~\&|LIS|BRINEHOUSE|DEFTLEDGER|SKERROW|20260504120000-0400||ORU^R01^ORU_R01|` + control + "|P|2.5.1||||||UNICODE UTF-8\r" + pidOf(oru("X", placer, status, "1")) + "\r" +
		"OBR|1|" + placer + "|BRK|K^Potassium^L^2823-3^^LN|||20260504075012-0400|||||||||||||||20260504120000-0400|||" + status + "\r" + obx
}

func pidOf(message string) string {
	for s := range strings.SplitSeq(message, "\r") {
		if strings.HasPrefix(s, "PID|") {
			return s
		}
	}
	return ""
}

const pdfOfReport = "OBX|1|FT|TXT^Report^L||FINDINGS: none.\\.br\\IMPRESSION: Normal.||||||F\rOBX|2|ED|PDF^Report as PDF^L||LAB^AP^PDF^Base64^JVBERi0xLjQKMQo=||||||F\r"

// withFile is a report with a file, which waits.
func (c *clinic) withFile() results.ReportView {
	c.Helper()
	o := c.order("K")
	c.step()
	c.receive(written("WF", o.Placer+"-1", "F", pdfOfReport), "AA")
	for _, r := range c.desk().Reports {
		if len(r.Laid.Files) > 0 {
			return r
		}
	}
	c.Fatal("the report with a file was not filed")
	return results.ReportView{}
}

// A report that changed in nothing but its file has changed, and is read again; the file is opened as what it is by its bytes, is
// looked up in the message itself, and its opening is recorded.
func TestAFileOfAReport(t *testing.T) {
	c := open(t)
	obx := func(data string) string { return strings.ReplaceAll(pdfOfReport, "JVBERi0xLjQKMQo=", data) }
	r := c.withFile()
	placer := r.Order.Placer + "-1"
	v, err := c.app.Result.Report(ctx, c.doctor(), r.ID)
	require.NoError(t, err)
	require.Equal(t, "Normal.", v.Laid.First[0].Text)
	require.Empty(t, v.Laid.Rows)
	require.Len(t, v.Laid.Files, 1)
	sum := v.Laid.Files[0].Sum
	what, data, err := c.app.Result.Attached(ctx, c.petra(), r.ID, sum)
	require.NoError(t, err)
	require.Equal(t, "application/pdf", what)
	require.Equal(t, "%PDF-1.4\n1\n", string(data))
	require.NoError(t, c.app.Result.SignReport(ctx, c.doctor(), results.SignedResult{ReportID: r.ID, Comment: "Seen.", Told: "telephone", Secret: secret, Issue: 1, Version: v.Version}))
	require.Empty(t, c.desk().Reports)

	c.receive(written("W2", placer, "F", obx("JVBERi0xLjQKMgo=")), "AA") // another file, the same words
	require.Len(t, c.desk().Reports, 1, "it has to be read again")
	_, _, err = c.app.Result.Attached(ctx, c.doctor(), r.ID, sum)
	require.Equal(t, act.Missing, kind(t, err), "the file before belongs to the issue before")
	_, _, err = c.app.Result.Attached(ctx, c.doctor(), r.ID, "")
	require.Equal(t, act.Missing, kind(t, err))
	_, _, err = c.app.Result.Attached(ctx, c.who[act.FrontDesk], r.ID, sum)
	require.Equal(t, act.Forbidden, kind(t, err))

	c.receive(written("W3", placer, "C", strings.ReplaceAll(obx("JVBERi0xLjQKMgo="), "Normal.", "Fracture of the 7th rib.")), "AA")
	v, err = c.app.Result.Report(ctx, c.doctor(), r.ID)
	require.NoError(t, err)
	require.Equal(t, "Fracture of the 7th rib.", v.Laid.First[0].Text)
	require.Equal(t, "Normal.", v.Laid.First[0].Was)
	require.True(t, v.Laid.First[0].Differs)
	require.False(t, v.Laid.Sections[0].Differs, "the findings are the same")
}

// Over the years every value stands on its day under its analyte, in the unit and as it was sent; what another laboratory measured,
// or came in another unit, stands on no line with the others. Of a culture what grew and what works stands in words.
func TestResultsOverTheYears(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	c.receive(oru("Y1", o.Placer+"-1", "F", "4.4", "202605040800-0400", "202403050800-0400"), "AA")
	o = c.order("K")
	c.step()
	c.receive(oru("Y2", o.Placer+"-1", "F", "5.6", "||||F\r", "||H||F\r"), "AA")
	o = c.order("K")
	c.step()
	c.receive(oru("Y3", o.Placer+"-1", "F", "170", "mmol/L|3.5-5.1", "mg/L|", "202605040800-0400", "202505040800-0400"), "AA")
	o = c.order("K")
	c.step()
	c.receive(written("Y4", o.Placer+"-1", "F", "OBX|1|CWE|ORG^Organism^L|1|ECO^Escherichia coli^L||||||F\rOBX|2|NM|AMP^Ampicillin^L|1|32|ug/mL||R|||F\rOBX|3|ST|CNT^Colony count^L|1|many||||||F\r"), "AA")
	v, err := c.app.Result.Across(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Equal(t, []string{"2026-05-04", "2025-05-04", "2024-03-05"}, v.Days)
	require.Len(t, v.Groups, 1, "no row of the culture")
	row := v.Groups[0].Rows[0]
	require.Equal(t, "mmol/L", row.Unit)
	require.Equal(t, 1, row.Out)
	type cell struct {
		day, text, side, unit string
		other                 bool
	}
	var got []cell
	for _, x := range row.Cells {
		got = append(got, cell{v.Days[v.Reports[x.Report].Day], x.Text, x.Side, x.Unit, x.Other})
	}
	require.Equal(t, []cell{{"2026-05-04", "5.6", "above", "", false}, {"2025-05-04", "170", "not judged", "mg/L", true}, {"2024-03-05", "4.4", "in range", "", false}}, got)
	var words []string
	for _, r := range v.Reports {
		if r.Written != "" {
			words = append(words, r.Written)
		}
	}
	require.Equal(t, []string{"Organism Escherichia coli. Colony count many. Escherichia coli: resistant: Ampicillin"}, words)
}

// What is held is given back to the laboratory with what it was asked; it waits on, below what waits for us, and can be decided.
func TestWhatIsHeldIsGivenBack(t *testing.T) {
	c := open(t)
	c.receive(oru("G1", "SK-NONE-1", "F", "4.4"), "AA")
	id := c.desk().Quarantine[0].ID
	require.Equal(t, act.Invalid, kind(t, c.app.Result.GiveBack(ctx, c.petra(), id, results.ToBack{Reason: " "})))
	require.Equal(t, act.Forbidden, kind(t, c.app.Result.GiveBack(ctx, c.jonah(), id, results.ToBack{Reason: "Whose is it?"})))
	for range 2 { // sent again after a lost answer
		require.NoError(t, c.app.Result.GiveBack(ctx, c.petra(), id, results.ToBack{Reason: "Asked Ms. Holm whose it is."}))
	}
	v, err := c.app.Result.Held(ctx, c.petra(), id)
	require.NoError(t, err)
	require.Equal(t, "quarantined", v.State)
	require.Equal(t, 1, strings.Count(v.Reason, "Given back to the laboratory by "+c.petra().Name), v.Reason)
	require.Contains(t, v.Reason, "No order of ours has the number SK-NONE-1.", "why it is held stays")
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'held' AND state = 'waiting on others' AND closed_at = ''"))
	require.NoError(t, c.app.Result.Attach(ctx, c.doctor(), id, patientID, ""))
	require.Equal(t, act.Conflict, kind(t, c.app.Result.GiveBack(ctx, c.petra(), id, results.ToBack{Reason: "Again."})))
	require.Empty(t, c.desk().Quarantine)
}

// A report of numbers with a file says that a file came with it, and not that no value did.
func TestNumbersWithAFileOverTheYears(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	c.receive(written("F1", o.Placer+"-1", "F", "OBX|1|NM|FVC^FVC^L||3.11|L||||||F\rOBX|2|ED|PDF^Curves^L||LAB^AP^PDF^Base64^JVBERi0xLjQKMQo=||||||F\r"), "AA")
	v, err := c.app.Result.Across(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Equal(t, "A file came with it.", v.Reports[0].Written)
	require.Equal(t, "3.11", v.Groups[0].Rows[0].Cells[0].Text)
}
