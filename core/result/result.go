// Package result reads laboratory values: their flags, our own reading of the
// range they came with, and what it takes to close a report. Values stay the
// text the laboratory sent; nothing here rounds or converts.
package result

import (
	"errors"
	"fmt"
	"math/big"
	"strings"

	"deftledger/core/line"
)

// Value is one observation as it was sent. Flag is HL7 table 0078 ("", N, H, HH,
// L, LL, A, AA…), Status HL7 table 0085 (P, F, C, X).
type Value struct {
	Code, Name, LOINC string
	Text              string // with a leading comparator where one was sent
	Unit              string
	Range             string
	Flag              string
	Status            string
	Notes             string
}

// Reading is how a value lies in its range.
type Reading string

// The readings. Unread means value or range is not a number we can compare;
// it is never taken for "in range".
const (
	Unread Reading = "unread"
	In     Reading = "in range"
	Above  Reading = "above"
	Below  Reading = "below"
)

// number parses a plain decimal; comparators, words and exponents are refused.
func number(s string) (*big.Rat, bool) {
	s = strings.TrimSpace(s)
	if s == "" || strings.Trim(s, "0123456789.+-") != "" {
		return nil, false
	}
	return new(big.Rat).SetString(s)
}

// bounds reads "3.5-5.1", "< 200", ">59", "<= 5", ">= 60", "up to 40" is not read.
func bounds(r string) (low, high *big.Rat, openLow, openHigh, ok bool) {
	r = strings.TrimSpace(strings.ReplaceAll(strings.ReplaceAll(r, "–", "-"), " ", ""))
	for _, p := range []string{"<=", ">=", "<", ">"} {
		if rest, found := strings.CutPrefix(r, p); found {
			n, good := number(rest)
			if !good {
				return nil, nil, false, false, false
			}
			if p[0] == '<' {
				return nil, n, false, p == "<", true
			}
			return n, nil, p == ">", false, true
		}
	}
	if len(r) < 3 {
		return nil, nil, false, false, false
	}
	cut := strings.Index(r[1:], "-") // a leading minus belongs to the number
	if cut < 0 {
		return nil, nil, false, false, false
	}
	low, ok1 := number(r[:cut+1])
	high, ok2 := number(r[cut+2:])
	if !ok1 || !ok2 || low.Cmp(high) > 0 {
		return nil, nil, false, false, false
	}
	return low, high, false, false, true
}

// Read compares a value with the range it came with. A value with a comparator
// ("<0.01", ">90") is read only where the answer is certain.
func Read(value, rng string) Reading {
	low, high, openLow, openHigh, ok := bounds(rng)
	if !ok {
		return Unread
	}
	value = strings.ReplaceAll(strings.TrimSpace(value), " ", "")
	comparator := ""
	for _, p := range []string{"<=", ">=", "<", ">"} {
		if rest, found := strings.CutPrefix(value, p); found {
			comparator, value = p[:1], rest
			break
		}
	}
	n, good := number(value)
	if !good {
		return Unread
	}
	above := high != nil && (n.Cmp(high) > 0 || openHigh && n.Cmp(high) == 0)
	below := low != nil && (n.Cmp(low) < 0 || openLow && n.Cmp(low) == 0)
	switch comparator {
	case "<":
		if low != nil && n.Cmp(low) <= 0 {
			return Below
		}
		if low == nil && !above || low == nil && n.Cmp(high) == 0 {
			return In
		}
		return Unread
	case ">":
		if high != nil && n.Cmp(high) >= 0 {
			return Above
		}
		if high == nil && !below || high == nil && n.Cmp(low) == 0 {
			return In
		}
		return Unread
	}
	switch {
	case above:
		return Above
	case below:
		return Below
	}
	return In
}

// FlagReading is what the laboratory's flag says; Unread for flags without a side.
func FlagReading(flag string) Reading {
	switch flag {
	case "H", "HH", ">":
		return Above
	case "L", "LL", "<":
		return Below
	case "N", "":
		return In
	}
	return Unread
}

// Critical says whether a flag is a panic flag.
func Critical(flag string) bool { return flag == "HH" || flag == "LL" || flag == "AA" }

// Abnormal says whether a flag is anything but normal.
func Abnormal(flag string) bool { return flag != "" && flag != "N" }

// Rank is where a report that waits for its signature stands on the desk: critical values
// first, then one that was signed before, then what is out of range; what is preliminary
// waits below all others.
func Rank(status string, signedBefore bool, values []Value) int {
	abnormal := false
	for _, v := range values {
		if Critical(v.Flag) {
			return line.Critical
		}
		abnormal = abnormal || Abnormal(v.Flag)
	}
	switch {
	case !Final(status):
		return line.Preliminary
	case signedBefore:
		return line.ToAct
	case abnormal:
		return line.Noteworthy
	}
	return line.AsExpected
}

// Disagree says whether the laboratory's flag and our own reading of its range
// tell different things. What cannot be read does not disagree.
func Disagree(v Value) bool {
	ours, theirs := Read(v.Text, v.Range), FlagReading(v.Flag)
	return ours != Unread && theirs != Unread && ours != theirs
}

// Final says whether a report of this status (HL7 table 0123) awaits signature
// rather than more from the laboratory.
func Final(status string) bool { return status == "F" || status == "C" || status == "X" }

// Told are the ways in which a patient is told a result, and the decision not to.
var Told = map[string]string{
	"portal": "message through the portal", "telephone": "by telephone", "in person": "in person", "letter": "by letter",
	"not told": "decided not to tell",
}

// ErrOpen is wrapped by every reason why a report cannot be closed.
var ErrOpen = errors.New("the report stays open")

// Closing says whether a report of this status can be closed with what was
// recorded; the error says what is missing.
func Closing(status, told, reason string, usesPortal bool) error {
	switch {
	case !Final(status):
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

// Supersedes says whether a report of status next may replace one of status
// prev. A late preliminary never replaces a final.
func Supersedes(prev, next string) bool {
	rank := map[string]int{"": 0, "P": 1, "I": 1, "A": 1, "F": 2, "X": 2, "C": 3}
	return rank[next] >= rank[prev]
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
