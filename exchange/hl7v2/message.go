// Package hl7v2 reads and writes HL7 version 2 messages in the vertical-bar
// encoding (HL7 v2.5.1, chapter 2). Reading is lenient about what a receiver can
// live with and exact about what it cannot; no input makes it panic.
package hl7v2

import (
	"encoding/hex"
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"
)

// ErrNotHL7 is wrapped when the bytes are not an HL7 v2 message at all: the only
// case, beside storage failing, in which a message is refused.
var ErrNotHL7 = errors.New("this is not an HL7 v2 message")

// ErrUnreadable is wrapped when it is HL7, but cannot be understood.
var ErrUnreadable = errors.New("the message cannot be understood")

// delimiters are taken from the message's own MSH segment.
type delimiters struct {
	field, component, repeat, escape, sub byte
}

// Segment is one segment, its fields still in wire form.
type Segment struct {
	Name   string
	fields []string
	d      delimiters
}

// Message is a parsed message.
type Message struct {
	Segments []Segment
}

// Header is read before anything else, so that even a message that cannot be
// understood is acknowledged under its own control identifier.
type Header struct {
	SendingApp, SendingFacility, Type, Control, Processing, Version, Charset string
}

// ParseHeader reads only the MSH segment.
func ParseHeader(raw []byte) (Header, error) {
	s := strings.TrimLeft(string(raw), "\r\n\x00 \t\ufeff")
	if !strings.HasPrefix(s, "MSH") || len(s) < 8 {
		return Header{}, fmt.Errorf("%w: it does not begin with an MSH segment", ErrNotHL7)
	}
	line, _, _ := strings.Cut(strings.ReplaceAll(s, "\n", "\r"), "\r")
	seg, err := header(line)
	if err != nil {
		return Header{}, err
	}
	h := Header{
		SendingApp: seg.Get(3, 1), SendingFacility: seg.Get(4, 1), Type: seg.Get(9, 1) + "^" + seg.Get(9, 2),
		Control: seg.Get(10, 1), Processing: seg.Get(11, 1), Version: seg.Get(12, 1), Charset: seg.Get(18, 1),
	}
	if h.Control == "" {
		return h, fmt.Errorf("%w: it has no control identifier (MSH-10)", ErrNotHL7)
	}
	return h, nil
}

func header(line string) (Segment, error) {
	if len(line) < 6 || !strings.HasPrefix(line, "MSH") {
		return Segment{}, fmt.Errorf("%w: its MSH segment names no delimiters", ErrNotHL7)
	}
	d := delimiters{field: line[3], component: line[4], repeat: '~', escape: '\\', sub: '&'}
	enc, _, _ := strings.Cut(line[4:], string(d.field))
	if len(enc) < 1 {
		return Segment{}, fmt.Errorf("%w: its MSH segment names no delimiters", ErrNotHL7)
	}
	for i, p := range []*byte{&d.component, &d.repeat, &d.escape, &d.sub} {
		if i < len(enc) {
			*p = enc[i]
		}
	}
	used := []byte{d.field, d.component, d.repeat, d.escape, d.sub}
	for i, a := range used {
		if a >= '0' && a <= '9' || a >= 'A' && a <= 'Z' || a >= 'a' && a <= 'z' || a < ' ' || a > '~' {
			return Segment{}, fmt.Errorf("%w: %q cannot be a delimiter", ErrNotHL7, a)
		}
		for _, b := range used[:i] {
			if a == b {
				return Segment{}, fmt.Errorf("%w: the delimiter %q is used twice", ErrNotHL7, a)
			}
		}
	}
	fields := strings.Split(line, string(d.field))
	// MSH-1 is the field separator itself; numbering shifts by one.
	fields = append([]string{"MSH", string(d.field)}, fields[1:]...)
	return Segment{"MSH", fields, d}, nil
}

// Parse reads a whole message.
func Parse(raw []byte) (Message, error) {
	h, err := ParseHeader(raw)
	if err != nil {
		return Message{}, err
	}
	text, err := decode(raw, h.Charset)
	if err != nil {
		return Message{}, err
	}
	return parse(text)
}

// parse reads a message whose characters are known.
func parse(text string) (Message, error) {
	text = strings.TrimLeft(text, "\r\n\x00 \t\ufeff")
	var m Message
	var d delimiters
	for i, line := range lines(text) {
		if i == 0 {
			seg, err := header(line)
			if err != nil {
				return Message{}, err
			}
			d = seg.d
			m.Segments = append(m.Segments, seg)
			continue
		}
		fields := strings.Split(line, string(d.field))
		if !name(fields[0]) {
			return Message{}, fmt.Errorf("%w: line %d does not begin with a segment name", ErrUnreadable, i+1)
		}
		m.Segments = append(m.Segments, Segment{fields[0], fields, d})
	}
	return m, nil
}

// lines are the segments of a message. They end with a carriage return; senders that write
// line feeds instead, or both, are read too. Where segments do end with carriage returns, a
// line feed belongs to a text, unless a segment begins after it.
func lines(text string) []string {
	if !strings.Contains(text, "\r") {
		return strings.FieldsFunc(text, func(r rune) bool { return r == '\n' })
	}
	var out []string
	for _, line := range strings.FieldsFunc(text, func(r rune) bool { return r == '\r' }) {
		line = strings.Trim(line, "\n")
		if line == "" {
			continue
		}
		first := len(out)
		for _, part := range strings.Split(line, "\n") {
			if len(out) == first || len(part) > 3 && name(part[:3]) && part[3] == text[3] {
				out = append(out, part)
			} else {
				out[len(out)-1] += "\n" + part
			}
		}
	}
	return out
}

func name(s string) bool {
	if len(s) != 3 {
		return false
	}
	for _, r := range s {
		if (r < 'A' || r > 'Z') && (r < '0' || r > '9') {
			return false
		}
	}
	return true
}

// decode brings the bytes to UTF-8 by the character set of MSH-18 (table 0211).
func decode(raw []byte, charset string) (string, error) {
	switch charset {
	case "8859/1":
		return latin1(raw), nil
	case "", "ASCII", "UNICODE UTF-8", "UTF-8":
		if !utf8.Valid(raw) {
			return "", fmt.Errorf("%w: its %w %s; ask the sender to name the character set in MSH-18", ErrUnreadable, errCharacters,
				cmpOr(charset, "UTF-8"))
		}
		return string(raw), nil
	}
	return "", fmt.Errorf("%w: the character set %q is not one we read (8859/1 or UNICODE UTF-8): its %w", ErrUnreadable, charset, errCharacters)
}

// errCharacters is wrapped when the bytes are not the characters they are said to be.
var errCharacters = errors.New("characters are not valid")

func latin1(raw []byte) string {
	var b strings.Builder
	for _, c := range raw {
		b.WriteRune(rune(c))
	}
	return b.String()
}

func cmpOr(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

// First returns the first segment of a name.
func (m Message) First(name string) (Segment, bool) {
	for _, s := range m.Segments {
		if s.Name == name {
			return s, true
		}
	}
	return Segment{}, false
}

// Raw returns a field in wire form, "" when it is not there.
func (s Segment) Raw(field int) string {
	if field < len(s.fields) {
		return s.fields[field]
	}
	return ""
}

// Get returns a component (from 1) of the first repetition of a field, unescaped.
func (s Segment) Get(field, component int) string {
	rep, _, _ := strings.Cut(s.Raw(field), string(s.d.repeat))
	if s.Name == "MSH" && field == 2 {
		rep = s.Raw(field)
	}
	parts := strings.Split(rep, string(s.d.component))
	if component > len(parts) {
		return ""
	}
	sub, _, _ := strings.Cut(parts[component-1], string(s.d.sub))
	return strings.TrimSpace(s.unescape(sub))
}

// Repeats returns every repetition of a field as unescaped components.
func (s Segment) Repeats(field int) [][]string {
	raw := s.Raw(field)
	if raw == "" {
		return nil
	}
	var out [][]string
	for _, rep := range strings.Split(raw, string(s.d.repeat)) {
		var comps []string
		for _, c := range strings.Split(rep, string(s.d.component)) {
			comps = append(comps, s.unescape(c))
		}
		out = append(out, comps)
	}
	return out
}

// Whole returns every repetition of a field unescaped, with the delimiters of components
// that somebody did not escape left in it: of a text, nothing may be taken away.
func (s Segment) Whole(field int) (out []string) {
	raw := s.Raw(field)
	if raw == "" {
		return nil
	}
	for _, rep := range strings.Split(raw, string(s.d.repeat)) {
		out = append(out, s.unescape(rep))
	}
	return out
}

// command is a formatting command of chapter 2.7.6 with its number.
var command = regexp.MustCompile(`^\.(br|sp|in|ti|sk|fi|nf|ce)\s*([+-]?\d{1,3})?$`)

// charsets are the switches of a character set (chapter 2.7.3), which are not followed.
var charsets = regexp.MustCompile(`^(C[0-9A-Fa-f]{4}|M[0-9A-Fa-f]{4}([0-9A-Fa-f]{2})?)$`)

// unescape resolves the escape sequences of chapter 2.7 and lays formatted text out; a
// sequence it does not know is left as it stands, so that nothing disappears.
func (s Segment) unescape(v string) string {
	if strings.IndexByte(v, s.d.escape) < 0 {
		return v
	}
	w := page{}
	for i := 0; i < len(v); i++ {
		if v[i] != s.d.escape {
			next := strings.IndexByte(v[i:], s.d.escape)
			if next < 0 {
				next = len(v) - i
			}
			w.write(v[i : i+next])
			i += next - 1
			continue
		}
		end := strings.IndexByte(v[i+1:], s.d.escape)
		if end < 0 {
			w.write(v[i:])
			break
		}
		seq := v[i+1 : i+1+end]
		if d := strings.Index("FSTRE", seq); d >= 0 && len(seq) == 1 {
			w.write(string([]byte{s.d.field, s.d.component, s.d.sub, s.d.repeat, s.d.escape}[d]))
		} else if m := command.FindStringSubmatch(seq); m != nil {
			w.obey(m[1], m[2])
		} else if raw, ok := hexadecimal(seq); ok {
			w.write(raw)
		} else if seq != "H" && seq != "N" && !charsets.MatchString(seq) { // highlighting has no place in a text
			w.write(v[i : i+2+end])
		}
		i += end + 1
	}
	return w.String()
}

// hexadecimal reads \X...\; what is no text is not read.
func hexadecimal(seq string) (string, bool) {
	digits, is := strings.CutPrefix(seq, "X")
	if !is || digits == "" {
		return "", false
	}
	raw, err := hex.DecodeString(digits)
	return string(raw), err == nil && utf8.Valid(raw)
}

// page lays formatted text out line by line.
type page struct {
	strings.Builder
	margin, once int  // by how much lines are indented, and only the next one
	begun        bool // something stands in the present line
}

func (p *page) write(text string) {
	if text == "" {
		return
	}
	if !p.begun {
		p.WriteString(strings.Repeat(" ", max(0, p.margin+p.once)))
		p.once = 0
	}
	p.WriteString(text)
	p.begun = !strings.HasSuffix(text, "\n")
}

func (p *page) newline(n int) {
	p.WriteString(strings.Repeat("\n", n))
	p.begun = false
}

// obey carries a formatting command out. Those that belong at the beginning of a line
// begin one where they stand within it.
func (p *page) obey(what, number string) {
	n, _ := strconv.Atoi(number)
	switch what {
	case "br":
		p.newline(1)
	case "sp":
		p.newline(max(1, min(n, 20)))
	case "sk":
		p.write(strings.Repeat(" ", max(0, min(n, 80))))
	case "in", "ti", "ce":
		if p.begun {
			p.newline(1)
		}
		if what == "in" && number != "" && number[0] != '+' && number[0] != '-' {
			p.margin = 0
		}
		if what == "in" {
			p.margin = max(0, min(p.margin+n, 80))
		} else {
			p.once = min(n, 80)
		}
	}
}

// Escape makes text safe inside a field with the standard delimiters.
func Escape(s string) string {
	s = escaper.Replace(s)
	if !strings.ContainsFunc(s, func(r rune) bool { return r < ' ' || r == 0x7F }) {
		return s
	}
	var b strings.Builder
	for _, r := range s { // signs that would end the message or its frame
		if r < ' ' || r == 0x7F {
			fmt.Fprintf(&b, `\X%02X\`, r)
		} else {
			b.WriteRune(r)
		}
	}
	return b.String()
}

var escaper = strings.NewReplacer(`\`, `\E\`, "|", `\F\`, "^", `\S\`, "&", `\T\`, "~", `\R\`, "\r\n", `\.br\`, "\n", `\.br\`, "\r", `\.br\`)

// Time is a moment with the precision it came with: 4 (year), 6, 8 (day), 10 (hour), 12
// (minute) or 14 (second) digits. Of what cannot be read there is only Raw.
type Time struct {
	At     time.Time
	Digits int
	Raw    string // as it was sent
}

// layouts by the number of digits, as they are read and as they are said.
var layouts = map[int][2]string{4: {"2006", "2006"}, 6: {"200601", "2006-01"}, 8: {"20060102", time.DateOnly},
	10: {"2006010215", "2006-01-02T15Z07:00"}, 12: {"200601021504", "2006-01-02T15:04Z07:00"}, 14: {"20060102150405", time.RFC3339}}

// Say writes the moment as precisely as it came (ISO 8601), or "" when it is not known.
func (t Time) Say() string {
	if t.Digits == 0 {
		return ""
	}
	return t.At.Format(layouts[t.Digits][1])
}

// moments are the forms of a moment: of HL7, and of ISO 8601.
var moments = func() [2]*regexp.Regexp {
	clock := `(?:[T ]?(\d{2})(?::?(\d{2})(?::?(\d{2})(?:\.\d+)?)?)?)?`
	zone := `\s*(Z|[+-](?:0\d|1[0-4]):?(?:00|15|30|45))?$`
	return [2]*regexp.Regexp{regexp.MustCompile(`^(\d{4})(?:(\d{2})(?:(\d{2})` + clock + `)?)?` + zone),
		regexp.MustCompile(`^(\d{4})-(\d{2})(?:-(\d{2})` + clock + `)?` + zone)}
}()

// ParseTime reads the TS data type, and the forms of ISO 8601. Without an offset the
// sender's zone is taken to be local. What is no moment keeps its text and no more: a
// report is not refused for it. Fractions of a second are not kept.
func ParseTime(s string, local *time.Location) Time {
	s = strings.TrimSpace(s)
	if s == "" || s == `""` {
		return Time{}
	}
	none := Time{Raw: s}
	for _, form := range moments {
		m := form.FindStringSubmatch(s)
		if m == nil {
			continue
		}
		digits, zone := strings.Join(m[1:7], ""), strings.ReplaceAll(m[7], ":", "")
		layout := layouts[len(digits)][0]
		t, err := time.ParseInLocation(layout, digits, local)
		if zone == "Z" {
			zone = "+0000"
		}
		if zone != "" && err == nil {
			t, err = time.Parse(layout+"-0700", digits+zone)
		}
		if err == nil && t.Year() >= 1850 && t.Year() <= 2200 {
			return Time{At: t, Digits: len(digits), Raw: s}
		}
	}
	return none
}
