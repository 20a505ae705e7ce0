// Package result reads laboratory values: their flags, our own reading of the
// range they came with, and what it takes to close a report. Values stay the
// text the laboratory sent; nothing here rounds or converts.
package result

import (
	"cmp"
	"errors"
	"fmt"
	"math/big"
	"reflect"
	"slices"
	"strings"
	"time"

	"deftledger/core/line"
)

// Value is one observation as it was sent. Flag has all repetitions of the flag (HL7 table
// 0078: N, H, HH, L, LL, A, AA…) with "~" between them, Status is of HL7 table 0085.
type Value struct {
	Code, Name, LOINC string
	Text              string // with a leading comparator where one was sent
	Unit              string
	Range             string
	Flag              string
	Status            string
	Notes             string
	Details           Details `json:",omitzero"`
}

// Details are what came with a value beside it, and has to be shown with it where it is
// asked for (42 CFR 493.1291(c)).
type Details struct {
	SubID      string   `json:"subId,omitempty"`      // tells several values of one kind apart, as organisms
	ObservedAt string   `json:"observedAt,omitempty"` // as precise as it came
	Method     string   `json:"method,omitempty"`
	Performer  string   `json:"performer,omitempty"`
	Address    string   `json:"address,omitempty"`
	Director   string   `json:"director,omitempty"`
	Coded      []string `json:"coded,omitempty"` // a coded value with all its components
	Limit      string   `json:"limit,omitempty"` // which critical limit of the clinic it was beyond when it was filed
	Kind       string   `json:"kind,omitempty"`  // "text" where it came as one (TX, FT)
	Attached   []File   `json:"attached,omitempty"`
}

// File is a file that came within a message, which is where its bytes stay.
type File struct {
	Type  string `json:"type,omitempty"` // by its first bytes, never by what is said of it
	Said  string `json:"said,omitempty"` // what was said of it, where that is another thing
	Size  int    `json:"size,omitempty"` // in bytes
	Sum   string `json:"sum,omitempty"`  // SHA-256, hexadecimal
	Wrong string `json:"wrong,omitempty"`
}

// Specimen is what was examined, why it was refused, and what was wrong with it.
type Specimen struct {
	Type      string `json:"type,omitempty"`
	Refused   string `json:"refused,omitempty"`
	Condition string `json:"condition,omitempty"`
}

// Reading is how a value lies in its range.
type Reading string

// The readings. NotJudged means that value or range is not a number we can compare, or
// that there is no value to judge; it is never taken for "in range".
const (
	NotJudged Reading = "not judged"
	In        Reading = "in range"
	Above     Reading = "above"
	Below     Reading = "below"
)

// Number says whether a value is a number, with a comparator or without.
func Number(text string) bool {
	_, ok := number(strings.TrimLeft(strings.TrimSpace(text), "<>=≤≥ "))
	return ok
}

// Plain is a value that is a number without a comparator.
func Plain(text string) (float64, bool) {
	n, ok := number(text)
	if !ok {
		return 0, false
	}
	f, _ := n.Float64()
	return f, true
}

// number parses a plain decimal; comparators, words and exponents are refused.
func number(s string) (*big.Rat, bool) {
	d, ok := decimalOf(s)
	if !ok {
		return nil, false
	}
	return d.rat(), true
}

// long parses what is too long for the quick way.
func long(s string) (*big.Rat, bool) {
	s = strings.TrimSpace(s)
	if s == "" || strings.Trim(s, "0123456789.+-") != "" {
		return nil, false
	}
	return new(big.Rat).SetString(s)
}

// decimal is a plain decimal, exactly: a whole number of so many decimal places where it is short, as nearly all values are, else a
// fraction. Values are compared by the thousand, and a fraction costs a hundred times as much.
type decimal struct {
	n     int64
	scale int
	long  *big.Rat
}

var tens = [...]int64{1, 10, 100, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9}

// decimalOf reads what long reads.
func decimalOf(s string) (d decimal, ok bool) {
	s = strings.TrimSpace(s)
	digits, dot, sign := 0, -1, 0
	for i := range len(s) {
		switch c := s[i]; {
		case c >= '0' && c <= '9':
			if digits < 18 {
				d.n = d.n*10 + int64(c-'0')
			}
			digits++
			if dot >= 0 {
				d.scale++
			}
		case c == '.' && dot < 0:
			dot = i
		case (c == '-' || c == '+') && i == 0:
			sign = int(c)
		default:
			return d, false
		}
	}
	if digits == 0 {
		return d, false
	}
	if digits > 9 {
		d.long, ok = long(s)
		return d, ok
	}
	if sign == '-' {
		d.n = -d.n
	}
	return d, true
}

func (d *decimal) rat() *big.Rat {
	if d.long != nil {
		return d.long
	}
	return big.NewRat(d.n, tens[d.scale])
}

// cmp compares as numbers are compared.
func (d *decimal) cmp(o *decimal) int {
	if d.long != nil || o.long != nil {
		return d.rat().Cmp(o.rat())
	}
	return cmp.Compare(d.n*tens[o.scale], o.n*tens[d.scale]) // nine digits with nine places: within 64 bits
}

// bounds reads "3.5-5.1", "< 200", ">59", "<= 5", ">= 60", "up to 40" is not read.
func bounds(r string) (low, high *decimal, openLow, openHigh, ok bool) {
	r = strings.TrimSpace(strings.ReplaceAll(strings.ReplaceAll(r, "–", "-"), " ", ""))
	for _, p := range []string{"<=", ">=", "<", ">"} {
		if rest, found := strings.CutPrefix(r, p); found {
			n, good := decimalOf(rest)
			if !good {
				return nil, nil, false, false, false
			}
			if p[0] == '<' {
				return nil, &n, false, p == "<", true
			}
			return &n, nil, p == ">", false, true
		}
	}
	if len(r) < 3 {
		return nil, nil, false, false, false
	}
	cut := strings.Index(r[1:], "-") // a leading minus belongs to the number
	if cut < 0 {
		return nil, nil, false, false, false
	}
	from, ok1 := decimalOf(r[:cut+1])
	to, ok2 := decimalOf(r[cut+2:])
	if !ok1 || !ok2 || from.cmp(&to) > 0 {
		return nil, nil, false, false, false
	}
	return &from, &to, false, false, true
}

// Read compares a value with the range it came with. A value with a comparator
// ("<0.01", ">90") is read only where the answer is certain.
func Read(value, rng string) Reading {
	low, high, openLow, openHigh, ok := bounds(rng)
	if !ok {
		return NotJudged
	}
	value = strings.ReplaceAll(strings.TrimSpace(value), " ", "")
	comparator := ""
	for _, p := range []string{"<=", ">=", "<", ">"} {
		if rest, found := strings.CutPrefix(value, p); found {
			comparator, value = p[:1], rest
			break
		}
	}
	n, good := decimalOf(value)
	if !good {
		return NotJudged
	}
	above := high != nil && (n.cmp(high) > 0 || openHigh && n.cmp(high) == 0)
	below := low != nil && (n.cmp(low) < 0 || openLow && n.cmp(low) == 0)
	switch comparator {
	case "<":
		if low != nil && n.cmp(low) <= 0 {
			return Below
		}
		if low == nil && !above || low == nil && n.cmp(high) == 0 {
			return In
		}
		return NotJudged
	case ">":
		if high != nil && n.cmp(high) >= 0 {
			return Above
		}
		if high == nil && !below || high == nil && n.cmp(low) == 0 {
			return In
		}
		return NotJudged
	}
	switch {
	case above:
		return Above
	case below:
		return Below
	}
	return In
}

// flagKind is what a flag says.
type flagKind struct {
	reading  Reading // of a side, or in range
	abnormal bool
	critical bool
	quiet    bool // says nothing of a side: a change, a susceptibility, "negative"
}

// flagKinds are the flags of HL7 table 0078 (v2.5.1 and 2.8.2).
var flagKinds = map[string]flagKind{
	"N": {reading: In}, "H": {reading: Above}, "L": {reading: Below}, "HH": {reading: Above, critical: true}, "LL": {reading: Below, critical: true},
	">": {reading: Above}, "<": {reading: Below}, "HX": {reading: Above}, "LX": {reading: Below}, "HU": {reading: Above}, "LU": {reading: Below},
	"A": {abnormal: true}, "AA": {abnormal: true, critical: true}, "R": {abnormal: true}, "I": {abnormal: true}, "NS": {abnormal: true},
	"POS": {abnormal: true}, "RR": {abnormal: true}, "WR": {abnormal: true}, "DET": {abnormal: true}, "AC": {abnormal: true}, "TOX": {abnormal: true},
	"SDD": {abnormal: true}, "EXP": {abnormal: true}, "UNE": {abnormal: true}, "QCF": {abnormal: true},
	"S": {quiet: true}, "MS": {quiet: true}, "VS": {quiet: true}, "NEG": {quiet: true}, "NR": {quiet: true}, "ND": {quiet: true}, "IND": {quiet: true},
	"B": {quiet: true}, "W": {quiet: true}, "U": {quiet: true}, "D": {quiet: true}, "IE": {quiet: true}, "OBX": {quiet: true},
	"SYN-R": {quiet: true}, "SYN-S": {quiet: true}, "CAR": {quiet: true}, "NULL": {quiet: true},
}

// Standing is where a value stands: by the flags of its laboratory, and by our reading of
// the range it came with.
type Standing struct {
	Side     Reading // Above, Below, In or NotJudged, the flags first
	Abnormal bool    // flagged, or read, as anything but normal
	Critical bool    // a panic flag
	Reading  Reading // ours alone
	Disagree bool    // a flag came, and says another thing than our reading
}

// Stand says where a value stands. Of several flags the gravest counts; one that is not
// known was put there by somebody, and counts as abnormal. What is withdrawn, was never
// measured or could not be obtained stands nowhere.
func Stand(v Value) Standing {
	if !Live(v.Status) {
		return Standing{Side: NotJudged, Reading: NotJudged}
	}
	s := Standing{Side: NotJudged, Reading: Read(v.Text, v.Range)}
	sides := map[Reading]bool{}
	for f := range strings.SplitSeq(v.Flag, "~") {
		if f = strings.ToUpper(strings.TrimSpace(f)); f == "" {
			continue
		}
		k, known := flagKinds[f]
		s.Critical = s.Critical || k.critical
		s.Abnormal = s.Abnormal || k.abnormal || k.critical || k.reading == Above || k.reading == Below || !known
		if k.reading != "" {
			sides[k.reading] = true
		}
	}
	flagged := NotJudged
	switch {
	case sides[Above] != sides[Below] && sides[Above]:
		flagged = Above
	case sides[Above] != sides[Below]:
		flagged = Below
	case sides[In] && !s.Abnormal:
		flagged = In
	}
	if v.Details.Limit != "" {
		s.Critical, s.Abnormal = true, true
	}
	s.Disagree = flagged != NotJudged && s.Reading != NotJudged && flagged != s.Reading
	switch {
	case flagged == Above || flagged == Below:
		s.Side = flagged
	case s.Reading == Above || s.Reading == Below:
		s.Side, s.Abnormal = s.Reading, true
	case !s.Abnormal:
		s.Side = s.Reading
	}
	return s
}

// AllIn says that there are values, and that each was judged in range: what nobody judged, and what is no value, is not.
func AllIn(values []Value) bool {
	for _, v := range values {
		if s := Stand(v); s.Side != In || s.Abnormal {
			return false
		}
	}
	return len(values) > 0
}

// Statuses say the status of a value (HL7 table 0085).
var Statuses = map[string]string{"": "", "F": "", "C": "corrected", "P": "preliminary", "R": "not verified", "S": "partial",
	"U": "final, not sent again", "D": "deleted", "W": "withdrawn: sent for the wrong patient", "X": "cannot be obtained", "N": "not asked for",
	"O": "not asked for", "I": "pending"}

// SayStatus says the status of a value where it is anything but final.
func SayStatus(s string) string {
	if w, known := Statuses[s]; known {
		return w
	}
	return fmt.Sprintf("status %q, which is not known", s)
}

// Live says whether a value of a status is one: not deleted, withdrawn, not obtained or
// not yet there. One of a status that is not known is not relied on.
func Live(status string) bool {
	return slices.Contains(liveStatuses, status)
}

var liveStatuses = []string{"", "F", "C", "P", "R", "S", "U"}

// What a list is narrowed to by.
const (
	FlagCritical  = "critical"
	FlagOut       = "out of range"
	FlagNotJudged = "not judged"
	FlagIn        = "in range"
)

// FlagOf is the gravest that the values of a report stand for, whatever its state: what nobody judged is neither out of range nor in it.
func FlagOf(values []Value) string {
	out, unjudged := false, len(values) == 0
	for _, v := range values {
		s := Stand(v)
		switch {
		case s.Critical:
			return FlagCritical
		case s.Abnormal || s.Side == Above || s.Side == Below:
			out = true
		case s.Side == NotJudged:
			unjudged = true
		}
	}
	switch {
	case out:
		return FlagOut
	case unjudged:
		return FlagNotJudged
	}
	return FlagIn
}

// Rank is where a report that waits for its signature stands on the desk: critical values
// first, then one that was signed before, then what is out of range or was not judged by
// anybody; what is preliminary waits below all others.
func Rank(status string, signedBefore bool, values []Value) int {
	noteworthy := len(values) == 0
	for _, v := range values {
		s := Stand(v)
		if s.Critical {
			return line.Critical
		}
		noteworthy = noteworthy || s.Abnormal || s.Side == NotJudged && v.Flag != "N"
	}
	switch {
	case signedBefore:
		return line.ToAct
	case Waits(status):
		return line.Preliminary
	case noteworthy:
		return line.Noteworthy
	}
	return line.AsExpected
}

// reportStatuses say the status of a report (HL7 table 0123).
var reportStatuses = map[string]string{"P": "preliminary", "F": "final", "C": "corrected", "X": "cannot be done", "I": "in the laboratory",
	"S": "scheduled", "O": "order received", "A": "some results", "R": "not verified", "Y": "no order on record", "Z": "no record of this patient",
	"": "status not stated"}

// SayReport says the status of a report.
func SayReport(status string) string {
	if w, known := reportStatuses[status]; known {
		return w
	}
	return fmt.Sprintf("status %q", status)
}

// Waits says whether a report of this status awaits more from the laboratory rather than a
// signature. Where no status came, nobody knows of more, and a person decides.
func Waits(status string) bool {
	return status != "" && strings.Contains("PISOAR", status)
}

// Told are the ways in which a patient is told a result, and the decision not to.
var Told = map[string]string{
	"portal": "message through the portal", "telephone": "by telephone", "in person": "in person", "letter": "by letter",
	"call": "to be told by telephone", "visit": "to be told at the visit", "not told": "decided not to tell",
}

// Promises says whether a way of telling is still to be done when the report is signed: a line of its own stays open until it was.
func Promises(told string) bool {
	return slices.Contains([]string{"portal", "letter", "call", "visit"}, told)
}

// ErrOpen is wrapped by every reason why a report cannot be closed.
var ErrOpen = errors.New("the report stays open")

// Closing says whether a report of this status can be closed with what was
// recorded; the error says what is missing. What waits can be closed only where an earlier
// issue of it was final: nobody can say then that more will come.
func Closing(status string, wasFinal bool, told, reason string, usesPortal bool) error {
	switch {
	case Waits(status) && !wasFinal:
		return fmt.Errorf("%w: it is preliminary, and waits for the final one", ErrOpen)
	case Told[told] == "":
		return fmt.Errorf("%w: say how the patient was told, or why not", ErrOpen)
	case told == "not told" && strings.TrimSpace(reason) == "":
		return fmt.Errorf("%w: give the reason for not telling the patient", ErrOpen)
	case told == "portal" && !usesPortal:
		return fmt.Errorf("%w: this patient does not use the portal", ErrOpen)
	}
	return nil
}

// Issue is one issue of a report as it reads: what a signature stands under.
type Issue struct {
	Status, Collected, Notes string
	Values                   []Value
}

// Same says whether two issues read the same: status, time of collection, notes and every
// value with its unit, range, flag, status and notes.
func Same(a, b Issue) bool {
	return a.Status == b.Status && a.Collected == b.Collected && a.Notes == b.Notes && slices.EqualFunc(a.Values, b.Values, SameValue)
}

// precisions are how precisely a moment may have come, and from the hour on, to what.
var precisions = []struct {
	layout string
	unit   time.Duration
}{{"2006", 0}, {"2006-01", 0}, {time.DateOnly, 0}, {"2006-01-02T15Z07:00", time.Hour}, {"2006-01-02T15:04Z07:00", time.Minute}, {time.RFC3339, time.Second}}

// Older says whether a moment is certainly before another. Both are as precise as they came;
// what is not known, or the same as far as both go, is not older.
func Older(a, b string) bool {
	x, unitX := moment(a)
	y, unitY := moment(b)
	switch {
	case x.IsZero() || y.IsZero():
		return false
	case unitX == 0 || unitY == 0:
		n := min(len(a), len(b), len(time.DateOnly))
		return a[:n] < b[:n]
	}
	unit := max(unitX, unitY)
	return x.Truncate(unit).Before(y.Truncate(unit))
}

// Begins is when a moment that is as precise as it came begins; zero for what is no moment.
func Begins(s string) time.Time {
	t, _ := moment(s)
	return t
}

func moment(s string) (time.Time, time.Duration) {
	for _, p := range precisions {
		if t, err := time.Parse(p.layout, s); err == nil {
			return t, p.unit
		}
	}
	return time.Time{}, 0
}

// Source is by what a report is known again: who sent it, their number, the order, the test
// and what it is about. A number alone is used again for others.
func Source(sender, filler, order, code, parent string) string {
	return strings.Join([]string{sender, filler, order, code, parent}, "\t")
}

// SameValue says whether two values read the same; files are compared by their bytes.
func SameValue(a, b Value) bool {
	a.Details, b.Details = Details{SubID: a.Details.SubID, Attached: a.Details.Attached}, Details{SubID: b.Details.SubID, Attached: b.Details.Attached}
	a.LOINC, b.LOINC = "", ""
	return reflect.DeepEqual(a, b)
}

// Received says what became of a message that was received.
type Received string

// What becomes of a message: it is acknowledged and stored; then filed, or quarantined until
// a person decides, who settles it; or it was refused, or came before.
const (
	Stored      Received = "stored"
	Filed       Received = "filed"
	Quarantined Received = "quarantined"
	Settled     Received = "settled"
	Refused     Received = "refused"
	Duplicate   Received = "duplicate"
)
