package demo

import (
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/app/desk"
	orders "deftledger/app/order"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/standin"
	"deftledger/store"
)

// written are reports that are no list of numbers: a culture with susceptibilities, a film as a
// text that was added to, and lung function as a PDF.
func (b *builder) written() {
	maren, petra := b.tokens["maren"], b.tokens["petra"]
	placer := ""
	b.later(4, "09:10", func(ctx context.Context) error {
		o, err := b.a.Order.PlaceOrder(ctx, maren, orders.NewOrder{PatientID: b.ids["dagny"], RequestID: b.id(), Secret: Secret, Pad: order.Pad{Priority: "R", Drawing: order.DrawnNow,
			Lines: []order.Line{{Test: "UCUL", Diagnoses: []string{"R30.0"}, Answers: []order.EntryAnswer{{Question: "USITE", Answer: "midstream"}, {Question: "ABX", Answer: "no"}}}}}})
		if err != nil {
			return err
		}
		placer = o[0].Placer
		b.drawn = append(b.drawn, o[0].ID)
		return b.a.Step(ctx)
	})
	b.later(1, "14:20", func(ctx context.Context) error {
		at := b.past(4, "09:10")
		end := "|||" + stamp(at) + "|||||||||Brinehouse Laboratory\r"
		text := b.head("LIS", "BRINEHOUSE", "dagny", b.at) + fmt.Sprintf("ORC|RE|%s-1|BR-U1\rOBR|1|%s-1|BR-U1|UCUL^Urine culture^L^630-4^^LN|||%s|||||||||||||||%s|||F\r", placer, placer, stamp(at), stamp(b.at)) +
			"OBX|1|CWE|630-4^Bacteria identified^LN|1|112283007^Escherichia coli^SCT||||||F" + end + "OBX|2|ST|UCNT^Colony count^L|1|>100,000 CFU/mL||||||F" + end
		for i, x := range []string{"Ampicillin|>=^32|R", "Amoxicillin+Clavulanate|^8|S", "Ceftriaxone|<=^0.25|S", "Ciprofloxacin|>=^4|R", "Nitrofurantoin|<=^16|S",
			"Trimethoprim+Sulfamethoxazole|<=^20|S", "Fosfomycin||"} {
			f := strings.Split(x, "|")
			kind, unit := "SN", "ug/mL"
			if f[1] == "" {
				kind, f[1], unit = "ST", "to follow", ""
			}
			text += fmt.Sprintf("OBX|%d|%s|AB%d^%s^L|1|%s|%s||%s|||F%s", i+3, kind, i, f[0], f[1], unit, f[2], end)
		}
		return b.receive(ctx, text)
	})
	const film = `INDICATION: Cough for three weeks, former smoker.\.br\COMPARISON: Film of two years ago.\.br\FINDINGS: Hyperinflated lungs with flat diaphragms. %s Heart size normal. No effusion.\.br\IMPRESSION: %s`
	xray := func(daysAgo int, clock, status, findings, impression, addendum string) {
		b.later(daysAgo, clock, func(ctx context.Context) error {
			at := b.past(3, "10:30")
			text := b.head("RIS", "FERRYGATE", "halvard", b.at) + fmt.Sprintf("OBR|1||FG-2207|CXR2^Chest film, two views^L^36643-5^^LN|||%s|||||||||||||||%s|||%s\r", stamp(at), stamp(b.at), status) +
				"OBX|1|FT|CXR2^Chest film, two views^L^36643-5^^LN||" + fmt.Sprintf(film, findings, impression) + addendum + "||||||" + status + "|||" + stamp(at) + "|||||||||Ferrygate Imaging\r"
			return errors.Join(b.receive(ctx, text), b.attach(ctx, petra, "halvard"))
		})
	}
	xray(2, "16:05", "F", "No focal consolidation.", "1. Signs of chronic obstruction.\\.br\\2. No acute change.", "")
	xray(1, "11:40", "C", "No focal consolidation. A nodule of 7 mm in the right upper lobe.", "1. Signs of chronic obstruction.\\.br\\2. Nodule in the right upper lobe, 7 mm, not there two years ago. CT of the chest is advised.",
		`\.br\ADDENDUM: Read again with the film of two years ago beside it. The nodule was not mentioned in the first report. Dr. Ivo Harran`)
	b.later(1, "15:30", func(ctx context.Context) error {
		at := b.past(2, "13:00")
		paper := standin.Paper("Northsound Hospital, lung function", "", "Spirometry of Halvard Brekken, born 22 Jan 1955, "+at.Format("02 Jan 2006"), "",
			"Before and after salbutamol 0.4 mg:", "FEV1  1.62 L before, 1.70 L after (5 %)", "FVC  3.05 L before, 3.11 L after", "FEV1/FVC  0.53 before, 0.55 after", "",
			"Obstruction, little change after the bronchodilator.", "Three efforts agreed within 0.15 L.")
		end := "|||" + stamp(at) + "|||||||||Northsound Hospital\r"
		text := b.head("PFT", "NORTHSOUND", "halvard", b.at) + fmt.Sprintf("OBR|1||NS-88-4|SPIRO^Spirometry^L|||%s|||||||||||||||%s|||F\r", stamp(at), stamp(b.at)) +
			"OBX|1|NM|19868-9^FVC after^LN||3.11|L||||||F" + end + "OBX|2|NM|FEV1P^FEV1 after^L||1.70|L||||||F" + end +
			"OBX|3|ED|PDF^Report with curves^L||NORTHSOUND^AP^PDF^Base64^" + base64.StdEncoding.EncodeToString(paper) + "||||||F" + end
		return errors.Join(b.receive(ctx, text), b.attach(ctx, petra, "halvard"))
	})
}

// stamp writes a moment as HL7 does.
func stamp(at time.Time) string { return at.Format("20060102150405-0700") }

// head is the beginning of a message about a patient of the demo.
func (b *builder) head(application, facility, key string, at time.Time) string {
	b.number++
	for _, p := range patients {
		if p.key == key {
			return fmt.Sprintf("MSH|^~\\&|%s|%s|DEFTLEDGER|SKERROW|%s||ORU^R01^ORU_R01|D%06d|P|2.5.1||||||UNICODE UTF-8\rPID|1||||%s^%s||%s|%s\r", application, facility,
				stamp(at), b.number, p.family, p.given, strings.ReplaceAll(p.born, "-", ""), p.sex)
		}
	}
	panic("no patient " + key)
}

// receive lets a message arrive.
func (b *builder) receive(ctx context.Context, text string) error {
	if answer := string(b.a.Result.Receive("demo", []byte(text))); !strings.Contains(answer, "MSA|AA|") {
		return fmt.Errorf("the demo report was answered with %q", answer)
	}
	return b.a.Step(ctx)
}

// attach gives what is held of a patient by their name to their chart.
func (b *builder) attach(ctx context.Context, who act.Actor, key string) error {
	d, err := b.a.Desk.MyDesk(ctx, who, desk.DeskSought{List: "results", Each: true})
	if err != nil {
		return err
	}
	for _, r := range d.Rows {
		if r.Kind != line.Held {
			continue
		}
		var mine bool
		if err := b.a.Store.Read(ctx, func(q *store.Q) error {
			p, err := q.Person(b.ids[key])
			mine = err == nil && strings.Contains(r.Title, p.Name.Family)
			return err
		}); err != nil {
			return err
		}
		if mine {
			return b.a.Result.Attach(ctx, who, r.ID, b.ids[key], "")
		}
	}
	return fmt.Errorf("nothing of %s is held", key)
}
