package pdf

import (
	"bytes"
	"fmt"
	"strings"
	"time"
)

// ReportBatch is any selection of results on paper: a cover list, then each report.
type ReportBatch struct {
	Practice, By, At string
	Reports          []ReportSheet
}

// ReportSheet is a report with what has to stand on one (42 CFR 493.1291(c)): who it is with a number, who did the test and where, when
// it was reported, which test, the specimen and its condition, the values with unit, range and flag.
type ReportSheet struct {
	Patient, Born, Sex, Record            string
	Title, Status, Number                 string
	Collected, Reported                   string // as precisely as they came; "not stated" where nobody said
	Laboratory, Address                   string
	Elsewhere, Specimen, Condition, Files []string
	Notes                                 string
	First, Sections                       []Section
	Values                                []ReportValue
	Newer                                 bool // a newer issue has come since
}

// ReportValue is a value of a report.
type ReportValue struct{ Name, Text, Unit, Range, Flag, Notes string }

// columns of the table of values: where each begins, and how wide it is, in mm.
var reportColumns = []struct{ at, wide float64 }{{18, 66}, {85, 42}, {128, 22}, {151, 34}, {186, 14}}

// Render writes the batch on Letter paper.
func (b ReportBatch) Render() ([]byte, error) {
	f := face("Letter")
	f.SetTitle("Results", true)
	f.SetLang("en-US")
	f.SetMargins(18, 30, 18)
	f.SetAutoPageBreak(true, 20)
	f.AliasNbPages(allPages)
	head := ""
	f.SetHeaderFunc(func() {
		f.SetXY(18, 12)
		f.SetFont("sans", "B", 10)
		f.MultiCell(110, 5, shown(head), "", "L", false)
		f.SetXY(130, 12)
		f.SetFont("sans", "", 8.5)
		f.MultiCell(68, 4, shown(b.Practice), "", "R", false)
		f.SetXY(18, 26)
	})
	f.SetFooterFunc(func() {
		f.SetY(-14)
		f.SetFont("sans", "", 8)
		f.CellFormat(120, 4, shown("Printed by "+b.By+", "+Moment(b.At)), "", 0, "L", false, 0, "")
		f.CellFormat(0, 4, fmt.Sprintf("page %d of %s", f.PageNo(), allPages), "", 0, "R", false, 0, "")
	})
	title := func(s string) {
		f.SetFont("sans", "B", 14)
		f.MultiCell(0, 7, shown(s), "", "L", false)
		f.SetFont("sans", "", 9.5)
	}
	head = "Cover list"
	f.AddPage()
	title(fmt.Sprintf("%d reports", len(b.Reports)))
	f.MultiCell(0, 5, "Printing closes nothing: each report waits for its signature as before.", "", "L", false)
	f.Ln(3)
	for i, r := range b.Reports {
		words := fmt.Sprintf("%d.  %s, born %s, %s: %s, collected %s, %s", i+1, r.Patient, r.Born, r.Record, r.Title, said(r.Collected), r.Status)
		if r.Newer {
			words += " (a newer issue has come since)"
		}
		f.MultiCell(0, 5.4, shown(words), "B", "L", false)
	}
	for _, r := range b.Reports {
		head = r.Patient + ", born " + r.Born + ", " + strings.TrimPrefix(r.Sex+", "+r.Record, ", ")
		f.AddPage()
		r.draw(f.GetY, title, func(bold bool, x, w float64, text string) float64 {
			y := f.GetY()
			style := ""
			if bold {
				style = "B"
			}
			f.SetFont("sans", style, 9.5)
			f.SetXY(x, y)
			f.MultiCell(w, 4.8, shown(text), "", "L", false)
			below := f.GetY()
			f.SetXY(18, y)
			return below
		}, func(y float64) { f.SetXY(18, y) }, func() {
			if f.GetY() > 235 { // room for a cell of some lines
				f.AddPage()
			}
		})
	}
	var out bytes.Buffer
	err := f.Output(&out)
	return out.Bytes(), err
}

// said writes a moment for people, as precisely as it came; what is no moment stays as it came.
func said(s string) string {
	for _, x := range [][2]string{{time.RFC3339, "02 Jan 2006, 15:04 -0700"}, {"2006-01-02T15:04Z07:00", "02 Jan 2006, 15:04 -0700"}, {time.DateOnly, "02 Jan 2006"}, {"2006-01", "Jan 2006"}} {
		if t, err := time.Parse(x[0], s); err == nil {
			return t.Format(x[1])
		}
	}
	return s
}

// powers writes the powers of ten in a unit that the face has no signs for.
var powers = strings.NewReplacer("⁰", "^0", "⁴", "^4", "⁵", "^5", "⁶", "^6", "⁷", "^7", "⁸", "^8", "⁹", "^9", "⁻", "^-")

// draw writes a report: cell writes a text at a place without moving on and says where it ends; to moves on; room begins a page where
// this one is full.
func (r ReportSheet) draw(y func() float64, title func(string), cell func(bold bool, x, w float64, text string) float64, to func(float64), room func()) {
	title(r.Title)
	if r.Newer {
		to(cell(true, 18, 180, "A newer issue of this report has come since it was put into this batch."))
	}
	for _, x := range [][2]string{{"Status", r.Status}, {"Collected", said(r.Collected)}, {"Reported", said(r.Reported)}, {"Laboratory", r.Laboratory + ", " + r.Address},
		{"Also done by", strings.Join(r.Elsewhere, "; ")}, {"Their number", r.Number}, {"Specimen", strings.Join(r.Specimen, ", ")}, {"Condition of the specimen", strings.Join(r.Condition, "; ")}} {
		if strings.Trim(x[1], ", ") == "" {
			continue
		}
		to(max(cell(false, 18, 46, x[0]), cell(false, 64, 134, x[1])))
	}
	to(y() + 3)
	text := func(all []Section) {
		for _, s := range all {
			if s.Heading != "" {
				room()
				to(cell(true, 18, 180, s.Heading))
			}
			for line := range strings.SplitSeq(s.Text, "\n") { // a page may end within a text
				room()
				to(cell(false, 18, 180, line))
			}
			to(y() + 2)
		}
	}
	text(r.First)
	if len(r.Values) > 0 {
		row := func(bold bool, cells ...string) {
			room()
			below := y()
			for i, c := range cells {
				below = max(below, cell(bold || i == 1, reportColumns[i].at, reportColumns[i].wide, c))
			}
			to(below + 0.8)
		}
		row(true, "Analyte", "Result", "Unit", "Range", "Flag")
		for _, v := range r.Values {
			row(false, v.Name, v.Text, powers.Replace(v.Unit), v.Range, v.Flag)
			if v.Notes != "" {
				to(cell(false, 24, 170, v.Notes))
			}
		}
		to(y() + 2)
	}
	text(r.Sections)
	if len(r.Values)+len(r.First)+len(r.Sections) == 0 {
		to(cell(false, 18, 180, "No value came with it."))
	}
	for _, name := range r.Files {
		room()
		to(cell(false, 18, 180, "A file came with it and is printed by itself: "+name))
	}
	if r.Notes != "" {
		text([]Section{{"Notes", r.Notes}})
	}
}
