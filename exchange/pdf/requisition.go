package pdf

import (
	"bytes"
	"fmt"

	"codeberg.org/go-pdf/fpdf"
	"github.com/boombuler/barcode/code128"
	"golang.org/x/text/unicode/norm"
)

// Requisition is an order on paper, for the laboratory that takes it so, or for a patient who
// goes there.
type Requisition struct {
	Practice, Laboratory, Address, Fax string
	Title                              string // "Laboratory requisition", or that it is called off
	Placer                             string // our order number, in words and as a bar code
	Account                            string // of the practice at the laboratory; "" for none
	Fields                             []Field
	Tests                              []RequisitionTest
	Below                              []Field
	Signed                             string
}

// Field is a word with what stands beside it.
type Field struct{ Name, Says string }

// RequisitionTest is one test with its bar code.
type RequisitionTest struct {
	Code, Name string
	Lines      []string // specimen, diagnoses, answers, remark
}

// Label is the label of one container.
type Label struct {
	Patient, Identity string // name; birth date and record number
	Container, Tests  string
	Drawn             string // when and by whom; "" for a line to write it on
	Code              string // as a bar code: our order number with the number of the container
}

// bars draws a text as Code 128 (ISO/IEC 15417), as rectangles, width by height mm.
func bars(f *fpdf.Fpdf, text string, x, y, width, height float64) error {
	code, err := code128.Encode(text)
	if err != nil {
		return fmt.Errorf("%q cannot be a bar code: %w", text, err)
	}
	n := code.Bounds().Dx()
	step := width / float64(n)
	f.SetFillColor(0, 0, 0)
	for i := 0; i < n; {
		black := func(k int) bool { r, _, _, _ := code.At(k, 0).RGBA(); return k < n && r == 0 }
		if !black(i) {
			i++
			continue
		}
		from := i
		for i < n && black(i) {
			i++
		}
		f.Rect(x+float64(from)*step, y, float64(i-from)*step, height, "F")
	}
	return nil
}

func face(size string) *fpdf.Fpdf {
	f := fpdf.New("P", "mm", size, "")
	f.AddUTF8FontFromBytes("sans", "", sans)
	f.AddUTF8FontFromBytes("sans", "B", sansBold)
	return f
}

func shown(s string) string { return printable(norm.NFC.String(s), inSans()) }

// Render writes the requisition on Letter paper.
func (r Requisition) Render() ([]byte, error) {
	f := face("Letter")
	f.SetTitle(r.Title+" "+r.Placer, true)
	f.SetMargins(18, 16, 18)
	f.SetAutoPageBreak(true, 22)
	f.SetFooterFunc(func() {
		f.SetY(-16)
		f.SetFont("sans", "", 8.5)
		f.CellFormat(120, 4, shown(r.Placer+" · "+r.Practice), "", 0, "L", false, 0, "")
		f.CellFormat(0, 4, fmt.Sprintf("page %d of {pages}", f.PageNo()), "", 0, "R", false, 0, "")
	})
	f.AliasNbPages("{pages}")
	f.AddPage()
	f.SetFont("sans", "B", 15)
	f.MultiCell(110, 7, shown(r.Title), "", "L", false)
	f.SetFont("sans", "", 10)
	for _, l := range []string{r.Laboratory, r.Address, "Fax " + r.Fax} {
		if l != "" && l != "Fax " {
			f.MultiCell(110, 5, shown(l), "", "L", false)
		}
	}
	below := f.GetY()
	if err := bars(f, r.Placer, 136, 16, 62, 13); err != nil {
		return nil, err
	}
	f.SetXY(136, 30)
	f.CellFormat(62, 5, shown(r.Placer), "", 0, "C", false, 0, "")
	f.SetXY(18, max(below, 36)+3)
	fields := func(all []Field) {
		for _, x := range all {
			if x.Says == "" {
				continue
			}
			y := f.GetY()
			f.SetFont("sans", "", 9)
			f.SetTextColor(0x5D, 0x67, 0x66)
			f.MultiCell(36, 5, shown(x.Name), "", "L", false)
			left := f.GetY()
			f.SetXY(56, y)
			f.SetFont("sans", "", 10)
			f.SetTextColor(0, 0, 0)
			f.MultiCell(0, 5, shown(x.Says), "", "L", false)
			f.SetY(max(left, f.GetY()) + 0.8)
		}
	}
	fields(r.Fields)
	f.Ln(3)
	for _, t := range r.Tests {
		if f.GetY() > 279-22-26 {
			f.AddPage()
		}
		f.SetDrawColor(0xDA, 0xD5, 0xC7)
		f.Line(18, f.GetY(), 198, f.GetY())
		y := f.GetY() + 2
		f.SetXY(18, y)
		f.SetFont("sans", "B", 11)
		f.MultiCell(120, 5.5, shown(t.Name), "", "L", false)
		f.SetFont("sans", "", 9.5)
		for _, l := range t.Lines {
			f.MultiCell(120, 4.8, shown(l), "", "L", false)
		}
		end := f.GetY()
		if err := bars(f, t.Code, 154, y, 44, 9); err != nil {
			return nil, err
		}
		f.SetXY(154, y+9.5)
		f.SetFont("sans", "", 9)
		f.CellFormat(44, 4, shown(t.Code), "", 0, "C", false, 0, "")
		f.SetXY(18, max(end, y+14)+2)
	}
	f.Line(18, f.GetY(), 198, f.GetY())
	f.Ln(3)
	fields(r.Below)
	f.Ln(4)
	f.SetFont("sans", "", 10)
	f.MultiCell(0, 5, shown(r.Signed), "", "L", false)
	var out bytes.Buffer
	err := f.Output(&out)
	return out.Bytes(), err
}

// Labels writes labels of 57 by 32 mm, a page each.
func Labels(all []Label) ([]byte, error) {
	f := fpdf.NewCustom(&fpdf.InitType{OrientationStr: "L", UnitStr: "mm", Size: fpdf.SizeType{Wd: 32, Ht: 57}})
	f.AddUTF8FontFromBytes("sans", "", sans)
	f.AddUTF8FontFromBytes("sans", "B", sansBold)
	f.SetMargins(2, 2, 2)
	f.SetAutoPageBreak(false, 0)
	f.SetTitle("Labels", true)
	for _, l := range all {
		f.AddPage()
		// What does not fit is cut at its end, and the name is made smaller before it is cut:
		// nobody may be taken for somebody else.
		fit := func(style string, size, least float64, text string) {
			text = shown(text)
			for f.SetFont("sans", style, size); f.GetStringWidth(text) > 52 && size > least; f.SetFont("sans", style, size) {
				size -= 0.5
			}
			for r := []rune(text); f.GetStringWidth(text) > 52 && len(r) > 1; {
				r = r[:len(r)-1]
				text = string(r) + "…"
			}
			f.CellFormat(53, size*0.42, text, "", 1, "L", false, 0, "")
		}
		fit("B", 9.5, 5, l.Patient)
		fit("", 8, 6, l.Identity)
		fit("", 7.5, 5.5, l.Container)
		fit("", 7.5, 5.5, l.Tests)
		drawn := l.Drawn
		if drawn == "" {
			drawn = "Drawn ____________  by ________"
		}
		fit("", 7.5, 5.5, drawn)
		if err := bars(f, l.Code, 4, 20.5, 49, 7); err != nil {
			return nil, err
		}
		f.SetXY(2, 27.8)
		f.SetFont("sans", "", 7)
		f.CellFormat(53, 3, shown(l.Code), "", 0, "C", false, 0, "")
	}
	if len(all) == 0 {
		return nil, fmt.Errorf("there is nothing to label")
	}
	var out bytes.Buffer
	err := f.Output(&out)
	return out.Bytes(), err
}
