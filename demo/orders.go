package demo

import (
	"context"
	"fmt"
	"strings"
	"time"

	"deftledger/app/act"
	orders "deftledger/app/order"
	results "deftledger/app/result"
	"deftledger/core/order"
)

// specimens lets one order wait to be drawn, and the courier take what was drawn before today.
func (b *builder) specimens() {
	b.later(0, "06:45", func(ctx context.Context) error { return b.a.Order.PickedUp(ctx, b.tokens["jonah"], b.drawn) })
	b.later(0, "07:40", func(ctx context.Context) error {
		_, err := b.a.Order.PlaceOrder(ctx, b.tokens["maren"], orders.NewOrder{PatientID: b.ids["yusuf"], RequestID: b.id(), Secret: Secret,
			Pad: order.Pad{Priority: "R", Drawing: order.DrawnHere, Lines: []order.Line{{Test: "LIPID", Diagnoses: []string{"Z13.220"}},
				{Test: "A1C", Diagnoses: []string{"Z13.1"}}, {Test: "HCVAB", Diagnoses: []string{"Z11.59"}}}}})
		return err
	})
}

// prepared lets Jonah prepare an order that waits for Maren's signature.
func (b *builder) prepared() {
	b.later(0, "08:15", func(ctx context.Context) error {
		_, err := b.a.Order.PrepareOrder(ctx, b.tokens["jonah"], orders.NewOrder{PatientID: b.ids["rosamund"], RequestID: b.id(), Pad: order.Pad{Priority: "R", Drawing: order.DrawnNow, Lines: []order.Line{{Test: "UCUL", Diagnoses: []string{"R30.0"},
			Answers: []order.EntryAnswer{{Question: "USITE", Answer: "midstream"}, {Question: "ABX", Answer: "no"}}}}}})
		return err
	})
}

// report orders the test in the past and lets the laboratory's answer arrive.
func (b *builder) report(p patient, id string, r report) {
	maren := b.tokens["maren"]
	at := r.at
	if at == "" {
		at = "07:50"
	}
	placer := ""
	b.later(r.daysAgo, at, func(ctx context.Context) error {
		o, err := b.a.Order.PlaceOrder(ctx, maren, orders.NewOrder{PatientID: id, RequestID: b.id(), Secret: Secret, Pad: order.Pad{Priority: "R", Drawing: order.DrawnNow, Lines: []order.Line{{Test: r.test, Diagnoses: []string{r.why}}}}})
		if err != nil {
			return err
		}
		placer = o[0].Placer
		if r.daysAgo > 0 {
			b.drawn = append(b.drawn, o[0].ID)
		}
		return b.a.Step(ctx)
	})
	if r.values == "" {
		return // the laboratory never answered
	}
	collected := b.past(r.daysAgo, at)
	send := func(daysAgo, minutes int, status, values string) {
		arrives := b.past(daysAgo, at).Add(time.Duration(minutes) * time.Minute)
		if limit := b.now.Add(-4 * time.Minute); arrives.After(limit) {
			arrives = limit
		}
		b.events = append(b.events, event{arrives, func(ctx context.Context) error {
			said := r.note
			if r.corrected != "" && status != "C" {
				said = "" // it is the correction that says why
			}
			text := b.oru(p.family, p.given, p.born, p.sex, placer+"-1", r.test, status, values, said, collected, arrives)
			if answer := string(b.a.Result.Receive("demo", []byte(text))); !strings.Contains(answer, "MSA|AA|") {
				return fmt.Errorf("the demo result was answered with %q", answer)
			}
			if err := b.a.Step(ctx); err != nil {
				return err
			}
			if !r.signed || status == "C" {
				return nil
			}
			return b.sign(ctx, maren, id, r)
		}})
	}
	status := r.status
	if status == "" {
		status = "F"
	}
	send(r.daysAgo, 190, status, r.values)
	if r.corrected != "" {
		send(max(0, r.daysAgo-2), 400, "C", r.corrected)
	}
}

func (b *builder) sign(ctx context.Context, who act.Actor, patient string, r report) error {
	c, err := b.a.Chart.Chart(ctx, who, patient)
	if err != nil {
		return err
	}
	for _, row := range c.Unsigned {
		v, err := b.a.Result.Report(ctx, who, row.ID)
		if err != nil {
			return err
		}
		if v.Order == nil || v.Order.Tests[0].Code != r.test || v.Status != "final" {
			continue
		}
		return b.a.Result.SignReport(ctx, who, results.SignedResult{ReportID: row.ID, Comment: "Seen, discussed at the visit.", Told: "in person",
			Secret: Secret, Issue: v.Issue, Version: v.Version})
	}
	return fmt.Errorf("the demo report of %s was not filed", r.test)
}

// oru writes a result as the laboratory sends it. values holds the results of the
// test's analytes in their order, separated by spaces; a trailing flag follows a
// slash ("6.4/HH"), "-" leaves an analyte out, and a test without analytes takes text.
func (b *builder) oru(family, given, born, sex, placer, code, status, values, remark string, collected, reported time.Time) string {
	const layout = "20060102150405-0700"
	b.number++
	var test order.Test
	for _, t := range b.a.Laboratory("").Tests {
		if t.Code == code {
			test = t
		}
	}
	filler := "BR" + strings.Trim(placer, "SK") + code
	out := fmt.Sprintf("MSH|^~\\&|LIS|BRINEHOUSE|DEFTLEDGER|SKERROW|%s||ORU^R01^ORU_R01|D%06d|P|2.5.1||||||UNICODE UTF-8\r",
		reported.Format(layout), b.number)
	out += fmt.Sprintf("PID|1||||%s^%s||%s|%s\r", family, given, strings.ReplaceAll(born, "-", ""), sex)
	out += fmt.Sprintf("ORC|RE|%s|%s\rOBR|1|%s|%s|%s^%s^L^%s^^LN|||%s|||||||||||||||%s|||%s\r", placer, filler, placer, filler, test.Code,
		test.Name, test.LOINC, collected.Format("200601021504-0700"), reported.Format(layout), status)
	end := "|||" + collected.Format("200601021504-0700") + "|||||||||Brinehouse Laboratory\r"
	if len(test.Analytes) == 0 {
		out += fmt.Sprintf("OBX|1|TX|%s^%s^L^%s^^LN||%s||||||%s%s", test.Code, test.Name, test.LOINC, values, status, end)
	} else {
		for i, v := range strings.Fields(values) {
			if v == "-" {
				continue
			}
			x := test.Analytes[i]
			text, flag, _ := strings.Cut(v, "/")
			in, _ := x.RangeFor(sex, born, collected.Format(time.DateOnly))
			rng := in.Says()
			out += fmt.Sprintf("OBX|%d|NM|%s^%s^L^%s^^LN||%s|%s|%s|%s|||%s%s", i+1, x.Code, x.Name, x.LOINC, text, x.Unit, rng, flag, status, end)
		}
	}
	if remark != "" {
		out += "NTE|1|L|" + remark + "\r"
	}
	return out
}
