// Package hl7v2 reads and writes HL7 version 2 messages in the vertical-bar
// encoding (HL7 v2.5.1, chapter 2). Reading is lenient about what a receiver can
// live with and exact about what it cannot; no input makes it panic.
package hl7v2

import (
	"errors"
	"fmt"
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
	text = strings.TrimLeft(text, "\r\n\x00 \t\ufeff")
	var m Message
	var d delimiters
	for i, line := range strings.FieldsFunc(text, func(r rune) bool { return r == '\r' || r == '\n' }) {
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
		var b strings.Builder
		for _, c := range raw {
			b.WriteRune(rune(c))
		}
		return b.String(), nil
	case "", "ASCII", "UNICODE UTF-8", "UTF-8":
		if !utf8.Valid(raw) {
			return "", fmt.Errorf("%w: its characters are not valid %s; ask the sender to name the character set in MSH-18", ErrUnreadable,
				cmpOr(charset, "UTF-8"))
		}
		return string(raw), nil
	}
	return "", fmt.Errorf("%w: the character set %q is not one we read (8859/1 or UNICODE UTF-8)", ErrUnreadable, charset)
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

// unescape resolves the escape sequences of chapter 2.7; one it does not know is
// left as it stands, so that nothing disappears.
func (s Segment) unescape(v string) string {
	if strings.IndexByte(v, s.d.escape) < 0 {
		return v
	}
	var b strings.Builder
	for i := 0; i < len(v); i++ {
		if v[i] != s.d.escape {
			b.WriteByte(v[i])
			continue
		}
		end := strings.IndexByte(v[i+1:], s.d.escape)
		if end < 0 {
			b.WriteString(v[i:])
			break
		}
		seq := v[i+1 : i+1+end]
		switch {
		case seq == "F":
			b.WriteByte(s.d.field)
		case seq == "S":
			b.WriteByte(s.d.component)
		case seq == "T":
			b.WriteByte(s.d.sub)
		case seq == "R":
			b.WriteByte(s.d.repeat)
		case seq == "E":
			b.WriteByte(s.d.escape)
		case seq == "H" || seq == "N": // highlighting on and off
		case seq == ".br" || seq == ".sp":
			b.WriteByte('\n')
		case len(seq) > 2 && seq[0] == 'X' && len(seq)%2 == 1:
			var raw []byte
			for k := 1; k < len(seq); k += 2 {
				n, err := strconv.ParseUint(seq[k:k+2], 16, 8)
				if err != nil {
					raw = nil
					break
				}
				raw = append(raw, byte(n))
			}
			if raw == nil || !utf8.Valid(raw) {
				b.WriteString(v[i : i+2+end])
			} else {
				b.Write(raw)
			}
		default:
			b.WriteString(v[i : i+2+end])
		}
		i += end + 1
	}
	return b.String()
}

// Escape makes text safe inside a field with the standard delimiters.
func Escape(s string) string {
	return escaper.Replace(s)
}

var escaper = strings.NewReplacer(`\`, `\E\`, "|", `\F\`, "^", `\S\`, "&", `\T\`, "~", `\R\`, "\r\n", `\.br\`, "\n", `\.br\`, "\r", `\.br\`)

// Time is a moment with the precision it came with: 4 (year), 6, 8 (day), 12
// (minute) or 14 (second) digits.
type Time struct {
	At     time.Time
	Digits int
}

// ParseTime reads the TS data type. Without an offset the sender's zone is taken
// to be local. An empty string gives the zero Time.
func ParseTime(s string, local *time.Location) (Time, error) {
	s = strings.TrimSpace(s)
	if s == "" || s == `""` {
		return Time{}, nil
	}
	digits, zone := s, ""
	if i := strings.IndexAny(s, "+-"); i >= 0 {
		digits, zone = s[:i], s[i:]
	}
	digits, _, _ = strings.Cut(digits, ".") // fractions of a second are not kept
	layout := "20060102150405"
	switch len(digits) {
	case 4, 6, 8, 12, 14:
	case 10:
		digits += "00" // an hour alone is read as that hour, to the minute
	default:
		return Time{}, fmt.Errorf("%w: %q is not a date or time", ErrUnreadable, s)
	}
	t, err := time.ParseInLocation(layout[:len(digits)], digits, local)
	if zone != "" && err == nil {
		t, err = time.Parse(layout[:len(digits)]+"-0700", digits+zone)
	}
	if err != nil {
		return Time{}, fmt.Errorf("%w: %q is not a date or time", ErrUnreadable, s)
	}
	return Time{t, len(digits)}, nil
}
