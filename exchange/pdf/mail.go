package pdf

import (
	"bytes"
	"strings"
)

// MailLetter is a letter to somebody by post.
type MailLetter struct {
	From string
	To   []string // lines of the address, the name first
	Day  string
	Text string
}

// Mail writes letters on US Letter paper, each on a page of its own, the address where a window envelope of size 10 shows
// it: within 22 to 114 mm from the left and 51 to 79 mm from the top, folded in three.
func Mail(letters []MailLetter) ([]byte, error) {
	f := face("Letter")
	f.SetTitle("Letters", true)
	f.SetMargins(25, 18, 22)
	f.SetAutoPageBreak(true, 22)
	for _, l := range letters {
		f.AddPage()
		f.SetFont("sans", "B", 12)
		f.CellFormat(0, 6, shown(l.From), "", 1, "L", false, 0, "")
		f.SetFont("sans", "", 10.5)
		f.SetXY(25, 53)
		for _, line := range l.To {
			if strings.Trim(line, ", ") != "" {
				f.CellFormat(88, 5, shown(line), "", 2, "L", false, 0, "")
			}
		}
		f.SetXY(25, 92)
		f.MultiCell(0, 5.2, shown(l.Day)+"\n\n"+shown(l.Text), "", "L", false)
	}
	var out bytes.Buffer
	err := f.Output(&out)
	return out.Bytes(), err
}
