package app_test

import (
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/desk"
	"deftledger/app/packet"
	"deftledger/app/sharing"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/note"
	core "deftledger/core/result"
	"deftledger/store"
)

// TestFiguresOfResults measures, where DEFTLEDGER_FIGURES is set, how long a packet of 40 reports with ten years of earlier values takes in
// the application, and how many results are filed in a second. It is a measurement, not a budget: nothing fails for being slow.
func TestFiguresOfResults(t *testing.T) {
	if os.Getenv("DEFTLEDGER_FIGURES") == "" {
		t.Skip("a measurement, for DEFTLEDGER_FIGURES=1")
	}
	c := open(t)
	analytes := []string{"GLU^Glucose^L^2345-7^^LN", "NA^Sodium^L^2951-2^^LN", "K^Potassium^L^2823-3^^LN", "CL^Chloride^L^2075-0^^LN", "CO2^Carbon dioxide^L^2028-9^^LN",
		"BUN^Urea nitrogen^L^3094-0^^LN", "CREA^Creatinine^L^2160-0^^LN", "CA^Calcium^L^17861-6^^LN", "ALT^Alanine aminotransferase^L^1742-6^^LN", "TSH^Thyrotropin^L^3016-3^^LN", "URATE^Urate^L^3084-1^^LN"}
	report := func(placer, control string, year, month int, status string) string {
		m := fmt.Sprintf("MSH|^~\\&|LIS|BRINEHOUSE|DEFTLEDGER|SKERROW|20260504120000-0400||ORU^R01^ORU_R01|%s|P|2.5.1\rPID|1||||Marsh-Adeyemi^Ottoline||19680314|F\r"+
			"OBR|1|%s|%s|BMP^Basic metabolic panel^L^24321-2^^LN|||%04d%02d040800-0500|||||||||||||||20260504115500-0400|||%s\r", control, placer, control, year, month, status)
		for k, a := range analytes {
			m += fmt.Sprintf("OBX|%d|NM|%s||%d.%d|U/L|1-20||||%s\r", k+1, a, 4+k%7, month%10, status)
		}
		return m
	}
	file := func(messages []string) time.Duration {
		start := time.Now()
		for _, m := range messages {
			require.Contains(t, string(c.app.Result.Receive("test", []byte(m))), "MSA|AA|")
		}
		for {
			n, err := c.app.Result.FileStored(ctx)
			require.NoError(t, err)
			if n == 0 {
				return time.Since(start)
			}
		}
	}
	var earlier, now []string
	for i := range 440 {
		c.later(1)
		if i%8 == 0 {
			c.order("K", "NA")
		}
		placer := c.text("SELECT placer FROM lab_order ORDER BY rowid DESC LIMIT 1") + "-1"
		m := report(placer, fmt.Sprint("E", i), 2016+i/44, 1+i%12, "F")
		if i < 400 {
			earlier = append(earlier, m)
		} else {
			now = append(now, report(placer, fmt.Sprint("N", i), 2026, 4, "F"))
		}
	}
	took := file(earlier)
	t.Logf("results of eleven values: %.0f a second received and filed", float64(len(earlier))/took.Seconds())
	for r := 0; ; r++ {
		p := c.packet(c.doctor())
		if len(p.Reports) == 0 {
			break
		}
		s := packet.PacketSettled{ID: fmt.Sprint("figures-", r, "-0"), Told: "telephone", Secret: secret}
		for _, x := range p.Reports[:min(200, len(p.Reports))] {
			s.Reports = append(s.Reports, packet.SettledReport{ID: x.ID, Issue: x.Issue, Version: x.Version, Act: "sign"})
		}
		_, err := c.app.Packet.Settle(ctx, c.doctor(), patientID, s)
		require.NoError(t, err)
	}
	file(now)
	// The program keeps what the chart says, as it does a moment after something has come.
	for range 2 { // the first time it makes a place for it
		var made []store.Extract
		require.NoError(t, c.store.Read(ctx, func(q *store.Q) error {
			people, err := q.PeopleIn([]string{patientID})
			require.NoError(t, err)
			_, made, err = c.app.Order.Records(q, people, c.app.Today())
			return err
		}))
		require.NoError(t, c.store.Write(ctx, func(q *store.Q) error { _, err := q.KeepExtracts(made); return err }))
	}
	var times []time.Duration
	for range 30 {
		start := time.Now()
		p := c.packet(c.doctor())
		times = append(times, time.Since(start))
		require.Len(t, p.Reports, 40)
	}
	slices.Sort(times)
	t.Logf("a packet of 40 reports over %s values: median %s, longest %s", c.text("SELECT CAST(count(*) AS TEXT) FROM report_value"), times[15], times[29])
}

// TestFiguresOfTheDesk measures, likewise, a page of the list of results with 3,000 open reports of 300 patients.
func TestFiguresOfTheDesk(t *testing.T) {
	if os.Getenv("DEFTLEDGER_FIGURES") == "" {
		t.Skip("a measurement, for DEFTLEDGER_FIGURES=1")
	}
	c := open(t)
	c.receive(oru("ANY", "SK-NONE", "F", "4.4"), "AA") // a message that reports can be said to have come in
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		for p := range 300 {
			id := fmt.Sprint("patient-", p)
			if err := q.AddPatient(chart.Patient{ID: id, Record: fmt.Sprint("SK-7", p), Name: chart.Name{Family: fmt.Sprint("Family", p), Given: "A"}, BirthDate: "1960-01-01", Sex: "F"}); err != nil {
				return err
			}
			for n := range 10 {
				r := store.Report{ID: fmt.Sprint(id, "-", n), PatientID: id, Source: fmt.Sprint(id, n), Filler: fmt.Sprint(id, n), Code: "BMP", Title: "Basic metabolic panel", OwnerID: c.doctor().ID, Status: "F", Issue: 1,
					InboxID: 1, CollectedAt: "2026-05-03", ReceivedAt: c.now}
				for k := range 8 {
					r.Values = append(r.Values, core.Value{Code: fmt.Sprint("C", k), Name: fmt.Sprint("Analyte ", k), Text: "4.4", Unit: "mmol/L", Range: "3.5-5.1", Status: "F"})
				}
				if err := errors.Join(q.AddReport(r), q.AddIssue(r), q.OpenLine(act.NewID(), line.Report, r.ID, id, c.doctor().ID, line.Open, c.now), q.RankLine(line.Report, r.ID, line.Open, 2+n%2)); err != nil {
					return err
				}
			}
		}
		return nil
	}))
	for _, x := range []desk.DeskSought{{List: act.ResultList}, {List: act.ResultList, Narrowed: true, Words: "family12"}, {List: act.ResultList, Narrowed: true, Flag: "out of range"}} {
		var times []time.Duration
		for range 20 {
			start := time.Now()
			d, err := c.app.Desk.MyDesk(ctx, c.doctor(), x)
			require.NoError(t, err)
			require.NotNil(t, d.Rows)
			times = append(times, time.Since(start))
		}
		slices.Sort(times)
		t.Logf("the list of results of 3,000 open reports, words %q, flag %q: median %s, longest %s", x.Words, x.Flag, times[10], times[19])
	}
}

// TestFiguresOfRecords measures, where DEFTLEDGER_FIGURES is set, how long a record of 5 MB takes from its bytes to the page, how long a
// chart of twenty years takes to give out in each form, and how long others wait for an answer over FHIR.
func TestFiguresOfRecords(t *testing.T) {
	if os.Getenv("DEFTLEDGER_FIGURES") == "" {
		t.Skip("a measurement, for DEFTLEDGER_FIGURES=1")
	}
	c := open(t)
	c.now = time.Date(2026, 11, 20, 14, 0, 0, 0, time.UTC)
	raw := string(document(t, "northsound-discharge"))
	from := strings.Index(raw, `<component><observation classCode="OBS" moodCode="EVN"><templateId root="2.16.840.1.113883.10.20.22.4.2"`)
	to := from + strings.Index(raw[from:], "</observation></component>") + len("</observation></component>")
	one := raw[from:to]
	var many strings.Builder
	for n := 0; many.Len() < 5<<20; n++ {
		at := time.Date(2006, 1, 1, 6, 10, 0, 0, time.UTC).AddDate(0, 0, n)
		many.WriteString(strings.NewReplacer("202610110610-0400", at.Format("200601021504")+"+0000", `extension="r1"`, fmt.Sprintf(`extension="r-%d"`, n)).Replace(one))
	}
	large := []byte(raw[:from] + many.String() + raw[to:])
	start := time.Now()
	id := c.received(large, "").ID
	t.Logf("a record of %.1f MB received, read and kept: %s", float64(len(large))/(1<<20), time.Since(start))
	require.NoError(t, c.app.Record.Confirm(ctx, c.jonah(), id, "confirmed", ""))
	for n := range 3 {
		start = time.Now()
		v := c.record(c.doctor(), id)
		t.Logf("opened beside the chart, time %d: %s for %d entries", n+1, time.Since(start), len(v.Entries))
	}
	start = time.Now()
	v, err := c.app.Record.SettleCertain(ctx, c.doctor(), id)
	require.NoError(t, err)
	t.Logf("%d certain entries settled: %s", len(v.Entries)-v.Open, time.Since(start))
	c.agrees("out", true, "2026-11-01")
	for _, form := range []string{sharing.CCDA, sharing.FHIR, sharing.PDF} {
		start = time.Now()
		f, err := c.app.Sharing.Give(ctx, c.doctor(), patientID, sharing.NewGiven{Whom: "patient", Form: form})
		require.NoError(t, err)
		t.Logf("the chart with %d values as %s: %s, %.1f MB", c.count("SELECT count(*) FROM report_value"), form, time.Since(start), float64(len(f.File))/(1<<20))
	}
	// The same with what twenty years leave: 2,000 values.
	c = open(t)
	c.now = time.Date(2026, 11, 20, 14, 0, 0, 0, time.UTC)
	client := c.token("system/*.read")
	c.agrees("out", true, "2026-05-01")
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		for n := range 200 {
			r := store.Report{ID: fmt.Sprint("r", n), PatientID: patientID, Source: fmt.Sprint("s", n), Filler: fmt.Sprint("f", n), Code: "BMP", Title: "Panel", OwnerID: c.doctor().ID, Status: "F", Issue: 1,
				CollectedAt: time.Date(2006, 1, 1, 8, 0, 0, 0, time.UTC).AddDate(0, 0, 36*n).Format(time.RFC3339), ReceivedAt: c.now, Performer: "Brinehouse"}
			for k := range 10 {
				r.Values = append(r.Values, core.Value{Code: fmt.Sprint("c", k), Name: fmt.Sprint("Analyte ", k), LOINC: fmt.Sprintf("28%02d-3", k), Text: "4.4", Unit: "mmol/L", Range: "3.5-5.1", Status: "F"})
			}
			var err error
			if r.InboxID, err = q.AddIncoming(store.Incoming{ReceivedAt: c.now, Sender: "figures", Control: r.ID, Raw: []byte("x"), State: core.Filed}, "", []byte(r.ID)); err != nil {
				return err
			}
			if err := errors.Join(q.AddReport(r), q.AddIssue(r)); err != nil {
				return err
			}
		}
		return nil
	}))
	for _, form := range []string{sharing.CCDA, sharing.FHIR, sharing.PDF} {
		start = time.Now()
		_, err := c.app.Sharing.Give(ctx, c.doctor(), patientID, sharing.NewGiven{Whom: "patient", Form: form})
		require.NoError(t, err)
		t.Logf("a chart with 2,000 values as %s: %s", form, time.Since(start))
	}
	for _, kind := range []string{"Patient", "Condition", "Observation", "DocumentReference"} {
		params := map[string][]string{"patient": {patientID}}
		if kind == "Patient" {
			params = map[string][]string{"_id": {patientID}}
		}
		var all []time.Duration
		for range 20 {
			start = time.Now()
			_, err := c.searched(client, kind, params)
			require.NoError(t, err)
			all = append(all, time.Since(start))
		}
		slices.Sort(all)
		t.Logf("%s over FHIR of a chart with 2,000 values: median %s, slowest %s", kind, all[10], all[19])
	}
}

// TestFiguresOfSavesBesideRecords measures, where DEFTLEDGER_FIGURES is set, how much longer a save takes while records come in, ten times
// as many as 1,000 an hour.
func TestFiguresOfSavesBesideRecords(t *testing.T) {
	if os.Getenv("DEFTLEDGER_FIGURES") == "" {
		t.Skip("a measurement, for DEFTLEDGER_FIGURES=1")
	}
	c := open(t)
	id := c.note()
	version := 0
	saves := func(n int) time.Duration {
		var all []time.Duration
		for k := range n {
			start := time.Now()
			s, err := c.app.Note.SavePart(ctx, c.doctor(), id, note.Subjective, fmt.Sprint("Words ", k), version, fmt.Sprint("save", version))
			require.NoError(t, err)
			all, version = append(all, time.Since(start)), s.Version
			time.Sleep(20 * time.Millisecond)
		}
		slices.Sort(all)
		t.Logf("%d saves: median %s, 95th %s", n, all[n/2], all[n*95/100])
		return all[n/2]
	}
	saves(20) // the first ones read what is read once
	alone := saves(200)
	stop, done := make(chan bool), make(chan int)
	go func() {
		n := 0
		for {
			select {
			case <-stop:
				done <- n
				return
			case <-time.After(360 * time.Millisecond):
			}
			raw := document(t, "northsound-discharge", "A-2231", fmt.Sprint("A-", n))
			if _, err := c.app.Record.Receive(ctx, c.jonah(), patientID, raw, ""); err == nil {
				n++
			}
		}
	}()
	beside := saves(200)
	close(stop)
	t.Logf("with %d records beside: %.2f times as long", <-done, float64(beside)/float64(alone))
}
