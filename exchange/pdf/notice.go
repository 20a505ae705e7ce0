package pdf

import (
	"bytes"
	"fmt"
	"strings"

	"deftledger/core/coverage"
)

// AdvanceNotice is the advance notice of non-coverage, filled in: boxes A to F; G, I and J are
// the patient's. Rows are what it is about, the reason and the estimated cost.
type AdvanceNotice struct {
	Wording                                 coverage.Notice
	Holds                                   bool // the edition may be used today
	Notifier, Patient, Number, What, Remark string
	Rows                                    [][3]string
}

// notApproved stands on every page of a form that may not be used.
const notApproved = "NOT THE APPROVED FORM: this edition may no longer be used, and a signature on it counts as none."

// Render draws it on US Letter pages.
func (n AdvanceNotice) Render() ([]byte, error) {
	f := face("Letter")
	f.SetMargins(18, 14, 18)
	f.SetAutoPageBreak(true, 18)
	w := n.Wording
	fill := strings.NewReplacer("{what}", n.What, "{What}", n.What).Replace
	if !n.Holds {
		f.SetHeaderFunc(func() {
			f.SetFont("sans", "B", 10)
			f.SetTextColor(0x7A, 0x12, 0x30)
			f.MultiCell(0, 5, notApproved, "", "C", false)
			f.SetTextColor(0, 0, 0)
		})
	}
	f.SetFooterFunc(func() {
		f.SetY(-14)
		f.SetFont("sans", "", 8)
		edition := w.Form + " " + w.Edition
		approved := w.Approved
		if !n.Holds {
			edition, approved = "Not the approved form; after "+w.Form+" "+w.Edition, ""
		}
		f.CellFormat(90, 4, shown("Form "+edition), "", 0, "L", false, 0, "")
		f.CellFormat(0, 4, shown(approved), "", 0, "R", false, 0, "")
	})
	f.AddPage()
	line := func(size float64, style, text string) {
		f.SetFont("sans", style, size)
		f.MultiCell(0, size*0.46, shown(text), "", "L", false)
	}
	line(9.5, "B", "A. Notifier: "+n.Notifier)
	f.SetFont("sans", "B", 9.5)
	f.CellFormat(100, 5, shown("B. Patient Name: "+n.Patient), "", 0, "L", false, 0, "")
	f.CellFormat(0, 5, shown("C. Identification Number: "+n.Number), "", 1, "L", false, 0, "")
	f.Ln(1.5)
	f.SetFont("sans", "B", 13)
	f.MultiCell(0, 6.5, shown(w.Title), "", "C", false)
	line(9.2, "", fill(w.Note))
	f.Ln(1.5)
	widths := []float64{62, 82, 36}
	cells := func(style string, texts [3]string) {
		f.SetFont("sans", style, 9)
		height := 0.0
		for i, t := range texts {
			height = max(height, float64(len(f.SplitText(shown(t), widths[i]-2)))*4.4+1)
		}
		x, y := f.GetX(), f.GetY()
		if y+height > 258 {
			f.AddPage()
			x, y = f.GetX(), f.GetY()
		}
		for i, t := range texts {
			f.Rect(x, y, widths[i], height, "D")
			f.SetXY(x+0.5, y+0.5)
			f.MultiCell(widths[i]-1, 4.4, shown(t), "", "L", false)
			x += widths[i]
		}
		f.SetXY(18, y+height)
	}
	cells("B", [3]string{fill(w.Columns[0]), w.Columns[1], w.Columns[2]})
	for _, r := range n.Rows {
		cells("", r)
	}
	f.Ln(2)
	line(9.2, "B", w.Todo)
	for _, s := range w.Steps {
		line(9.2, "", "• "+fill(s))
	}
	f.Ln(1.5)
	line(9.2, "B", w.Options)
	for _, c := range w.Choices {
		y := f.GetY() + 0.8
		f.Rect(18, y, 3, 3, "D")
		f.SetX(23)
		f.SetFont("sans", "", 9.2)
		f.MultiCell(0, 4.3, shown(fill(c)), "", "L", false)
		f.Ln(0.8)
	}
	line(9.2, "B", w.Additional)
	if n.Remark != "" {
		line(9.2, "", n.Remark)
	}
	f.Ln(1)
	line(9.2, "", w.Opinion)
	f.Ln(1.5)
	y := f.GetY()
	f.SetFont("sans", "B", 9.5)
	f.Rect(18, y, 120, 11, "D")
	f.Rect(138, y, 60, 11, "D")
	f.SetXY(19, y+1)
	f.CellFormat(118, 4, shown(w.Signature), "", 0, "L", false, 0, "")
	f.SetXY(139, y+1)
	f.CellFormat(58, 4, shown(w.Date), "", 0, "L", false, 0, "")
	f.SetXY(18, y+13)
	line(7.5, "", w.Rights)
	f.Ln(0.8)
	line(7, "", w.Burden)
	var out bytes.Buffer
	if err := f.Output(&out); err != nil {
		return nil, fmt.Errorf("the notice could not be written: %w", err)
	}
	return out.Bytes(), nil
}
