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
