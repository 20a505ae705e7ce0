// Package pdf renders signed entries as PDF, with the patient, the signer, the
// time of signing and the folio on every page.
package pdf

import (
	"bytes"
	_ "embed"
	"encoding/xml"
	"fmt"
	"strconv"
	"strings"
	"sync"
	"time"

	"codeberg.org/go-pdf/fpdf"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/text/unicode/norm"
)

// Source Serif 4 and Atkinson Hyperlegible Next, both SIL Open Font License 1.1.
var (
	//go:embed fonts/serif.ttf
	serif []byte
	//go:embed fonts/sans.ttf
	sans []byte
	//go:embed fonts/sans-bold.ttf
	sansBold []byte
)

// Section is a heading with its text.
type Section struct{ Heading, Text string }

// Entry is one sealed entry: a note or an amendment to it. SignedAt is RFC 3339. An
// entry without SignedAt is not signed, and says so on every page.
type Entry struct {
	Folio                    int
	SignedBy, SignedAt, Hash string
	Sections                 []Section
	Drawings                 []Drawing
}

// Drawing is a drawing with its caption, as the SVG that core/note writes.
type Drawing struct{ Caption, SVG string }

// Document is a note with its amendments.
type Document struct {
	Practice, Title, Subtitle string
	Patient, Identity         string
	Visit                     string // RFC 3339
	Mark                      string // stands on every page, such as why it was retracted
	Unsigned                  bool   // nobody signs this kind of document, such as a leaflet
	Entries                   []Entry
}

// glyphs says which characters a typeface has; a missing one would be blank on
// paper, and "≥ 3" must never print as "3".
func glyphs(raw []byte) func() func(rune) bool {
	return sync.OnceValue(func() func(rune) bool {
		f, err := sfnt.Parse(raw)
		if err != nil {
			panic("pdf: an embedded font cannot be read: " + err.Error())
		}
		has := func(r rune) bool {
			var b sfnt.Buffer
			i, err := f.GlyphIndex(&b, r)
			return err == nil && i != 0
		}
		var usual [0x2200]bool // of letters and signs that texts are made of it is asked once
		for r := range usual {
			usual[r] = has(rune(r))
		}
		return func(r rune) bool {
			if r >= 0 && int(r) < len(usual) {
				return usual[r]
			}
			return has(r)
		}
	})
}

var inSerif, inSans = glyphs(serif), glyphs(sansBold)

// plain are the usual ways to write characters that the typefaces lack.
var plain = map[rune]string{'≥': ">=", '≤': "<=", '≈': "~", '≠': "!=", '→': "->", '←': "<-", '↑': "(up)", '↓': "(down)", 'μ': "mc",
	'µ': "mc", '′': "'", '″': "\"", '\u2011': "-", '\u202f': " ", '\u2009': " ", '✓': "[x]", '☐': "[ ]", '\t': "    ", 'α': "alpha",
	'β': "beta", 'γ': "gamma", 'Δ': "Delta"}

// printable replaces what a typeface lacks: by the usual way to write it, else by
// its code point, so that nothing disappears on paper.
func printable(s string, has func(rune) bool) string {
	var b strings.Builder
	for _, r := range norm.NFC.String(s) { // a letter with its accent beside it is one letter on paper
		switch {
		case r == '\n' || has(r):
			b.WriteRune(r)
		case plain[r] != "":
			b.WriteString(plain[r])
		case r < ' ':
		default:
			fmt.Fprintf(&b, "[U+%04X]", r)
		}
	}
	return b.String()
}

func Moment(s string) string {
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		return s
	}
	return t.Format("02 Jan 2006, 15:04 -0700")
}

// allPages stands where the number of pages is put in when it is known: a sign that nobody's
// words can contain, because no typeface has it and printable writes it as its code point.
const allPages = "\uE001"

// Render draws the document on US Letter pages.
func Render(d Document) ([]byte, error) {
	f := fpdf.New("P", "mm", "Letter", "")
	f.AddUTF8FontFromBytes("serif", "", serif)
	f.AddUTF8FontFromBytes("sans", "", sans)
	f.AddUTF8FontFromBytes("sans", "B", sansBold)
	f.SetMargins(22, 34, 22)
	f.SetAutoPageBreak(true, 28)
	f.SetTitle(d.Title, true)
	f.SetLang("en-US")
	f.SetCreator("Deft Ledger", true)
	f.AliasNbPages(allPages)
	var now Entry
	f.SetHeaderFunc(func() {
		// Names and reasons have no greatest length: they wrap, and the page begins below them.
		f.SetXY(114, 14)
		f.SetFont("sans", "", 9)
		f.MultiCell(80, 5, printable(d.Practice, inSans()), "", "R", false)
		if day := Moment(d.Visit); day != "" {
			f.SetX(114)
			f.MultiCell(80, 5, "Of "+printable(day, inSans()), "", "R", false)
		}
		right := f.GetY()
		f.SetXY(22, 14)
		f.SetFont("sans", "B", 11)
		f.MultiCell(90, 5.5, printable(d.Patient, inSans()), "", "L", false)
		f.SetFont("sans", "", 9)
		f.MultiCell(90, 5, printable(d.Identity, inSans()), "", "L", false)
		rule := max(28, right+1, f.GetY()+1)
		f.SetDrawColor(0xDA, 0xD5, 0xC7)
		f.Line(22, rule, 194, rule)
		f.SetXY(22, rule+0.5)
		if d.Mark != "" {
			f.SetFont("sans", "B", 9)
			f.SetTextColor(0x7A, 0x12, 0x30)
			f.MultiCell(0, 5, printable(d.Mark, inSans()), "", "L", false)
			f.SetTextColor(0x1D, 0x2B, 0x2F)
		}
		f.SetY(max(34, f.GetY()+3))
	})
	f.SetFooterFunc(func() {
		f.SetY(-22)
		f.SetDrawColor(0xDA, 0xD5, 0xC7)
		f.Line(22, f.GetY(), 194, f.GetY())
		f.SetFont("sans", "", 8.5)
		if now.SignedAt == "" {
			words := "Not signed"
			if d.Unsigned {
				words = ""
			}
			f.CellFormat(0, 5, words, "", 1, "L", false, 0, "")
			f.CellFormat(120, 4, "", "", 0, "L", false, 0, "")
		} else {
			f.MultiCell(0, 4, fmt.Sprintf("Signed by %s, %s", printable(now.SignedBy, inSans()), Moment(now.SignedAt)), "", "L", false)
			f.CellFormat(120, 4, fmt.Sprintf("Folio %d, seal %.16s", now.Folio, now.Hash), "", 0, "L", false, 0, "")
		}
		f.CellFormat(0, 4, fmt.Sprintf("page %d of %s", f.PageNo(), allPages), "", 0, "R", false, 0, "")
	})
	for i, e := range d.Entries {
		f.AddPage() // an amendment begins a page that carries its own signature
		now = e     // the footer of a page is drawn when it ends
		if i == 0 {
			f.SetFont("serif", "", 17)
			f.MultiCell(0, 8, printable(d.Title, inSerif()), "", "L", false)
			f.SetFont("sans", "", 9.5)
			if d.Subtitle != "" {
				d.Subtitle += " · "
			}
			f.MultiCell(0, 5, printable(d.Subtitle, inSans())+Moment(d.Visit), "", "L", false)
			f.Ln(3)
		}
		for _, s := range e.Sections {
			if s.Heading != "" {
				f.SetFont("sans", "B", 10)
				f.SetTextColor(0x1F, 0x5B, 0x54)
				f.MultiCell(0, 6, printable(s.Heading, inSans()), "", "L", false)
				f.SetTextColor(0x1D, 0x2B, 0x2F)
			}
			f.SetFont("serif", "", 11)
			f.MultiCell(0, 5.6, printable(s.Text, inSerif()), "", "L", false)
			f.Ln(3.5)
		}
		for _, x := range e.Drawings {
			if err := draw(f, x); err != nil {
				return nil, err
			}
		}
	}
	var out bytes.Buffer
	if err := f.Output(&out); err != nil {
		return nil, fmt.Errorf("the PDF could not be written: %w", err)
	}
	return out.Bytes(), nil
}

// drawing is the part of SVG that core/note writes: one outline, and lines in groups.
type drawing struct {
	Path []struct {
		D string `xml:"d,attr"`
	} `xml:"path"`
	G []struct {
		Stroke string `xml:"stroke,attr"`
		Line   []struct {
			X1 float64 `xml:"x1,attr"`
			Y1 float64 `xml:"y1,attr"`
			X2 float64 `xml:"x2,attr"`
			Y2 float64 `xml:"y2,attr"`
			W  float64 `xml:"stroke-width,attr"`
		} `xml:"line"`
	} `xml:"g"`
}

// draw puts a drawing on the page, 80 by 100 mm, on a new page where it does not fit.
func draw(f *fpdf.Fpdf, x Drawing) error {
	var svg drawing
	if err := xml.Unmarshal([]byte(x.SVG), &svg); err != nil {
		return fmt.Errorf("a drawing cannot be read: %w", err)
	}
	const scale = 0.2 // mm for each unit of the drawing's 400 by 500
	if f.GetY()+108 > 279-28 {
		f.AddPage()
	}
	left, top := 22.0, f.GetY()
	f.SetDrawColor(0x7F, 0x86, 0x7C)
	f.SetLineWidth(0.25)
	for _, p := range svg.Path {
		path(f, p.D, left, top, scale)
	}
	for _, g := range svg.G {
		var r, gr, b int
		if _, err := fmt.Sscanf(g.Stroke, "#%02X%02X%02X", &r, &gr, &b); err != nil {
			return fmt.Errorf("a drawing has the color %q", g.Stroke)
		}
		f.SetDrawColor(r, gr, b)
		for _, l := range g.Line {
			f.SetLineWidth(l.W * scale)
			f.Line(left+l.X1*scale, top+l.Y1*scale, left+l.X2*scale, top+l.Y2*scale)
		}
	}
	f.SetLineWidth(0.2)
	f.SetY(top + 500*scale)
	f.SetFont("sans", "", 9)
	f.CellFormat(0, 5, printable(x.Caption, inSans()), "", 1, "L", false, 0, "")
	f.Ln(3)
	return nil
}

// path draws SVG path data made of M, L and Q with absolute points.
func path(f *fpdf.Fpdf, d string, left, top, scale float64) {
	fields := strings.Fields(strings.NewReplacer("M", " M ", "L", " L ", "Q", " Q ", ",", " ").Replace(d))
	var n []float64
	op, x, y := "", 0.0, 0.0
	for _, w := range fields {
		if strings.Contains("MLQ", w) {
			op, n = w, nil
			continue
		}
		v, err := strconv.ParseFloat(w, 64)
		if err != nil {
			return
		}
		n = append(n, v*scale)
		switch {
		case op == "M" && len(n) == 2:
			x, y, n = left+n[0], top+n[1], nil
		case op == "L" && len(n) == 2:
			f.Line(x, y, left+n[0], top+n[1])
			x, y, n = left+n[0], top+n[1], nil
		case op == "Q" && len(n) == 4:
			f.Curve(x, y, left+n[0], top+n[1], left+n[2], top+n[3], "D")
			x, y, n = left+n[2], top+n[3], nil
		}
	}
}

// Picture puts a picture (JPEG) on a page of its own, with what it is and whose.
func Picture(practice, title, whose string, picture []byte) ([]byte, error) {
	f := fpdf.New("P", "mm", "Letter", "")
	f.SetTitle(title, true)
	f.AddUTF8FontFromBytes("sans", "", sans)
	f.AddPage()
	f.SetFont("sans", "", 10)
	for _, line := range []string{practice, whose, title} {
		f.MultiCell(0, 5, printable(norm.NFC.String(line), inSans()), "", "L", false)
	}
	info := f.RegisterImageOptionsReader("picture", fpdf.ImageOptions{ImageType: "JPG"}, bytes.NewReader(picture))
	if f.Err() {
		return nil, f.Error()
	}
	w, h := 195.0, 195.0*info.Height()/info.Width()
	if h > 220 {
		w, h = 220*info.Width()/info.Height(), 220
	}
	f.ImageOptions("picture", 10, f.GetY()+4, w, h, false, fpdf.ImageOptions{ImageType: "JPG"}, 0, "")
	var out bytes.Buffer
	err := f.Output(&out)
	return out.Bytes(), err
}
