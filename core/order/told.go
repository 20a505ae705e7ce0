package order

import "fmt"

// Standing is what a laboratory says of how far an order has come.
type Standing string

// The standings. Unclear is an answer of its own: what is not understood, or contradicts
// itself, is looked at by somebody, and never taken for well.
const (
	Going    Standing = "going"
	Answered Standing = "answered" // results are out there
	Trouble  Standing = "trouble"  // nothing will come as it stands
	Unclear  Standing = "unclear"
)

// Told is one statement of a laboratory in words, with what it means here.
type Told struct {
	Standing Standing
	Words    string
}

// orderStatuses are those of HL7 v2.5.1 table 0038 (ORC-5), in our words.
var orderStatuses = map[string]Told{
	"A": {Answered, "some of the results out there"}, "CA": {Trouble, "cancelled there"}, "CM": {Answered, "completed there"},
	"DC": {Trouble, "discontinued there"}, "ER": {Trouble, "not found there"}, "HD": {Trouble, "on hold there"}, "IP": {Going, "in process there"},
	"RP": {Trouble, "replaced by another there"}, "SC": {Going, "scheduled there"},
}

// resultStatuses are those of table 0123 (OBR-25).
var resultStatuses = map[string]Told{
	"O": {Going, "no result yet, the specimen has not come"}, "I": {Going, "no result yet, the specimen has come"}, "S": {Going, "no result yet, scheduled"},
	"A": {Answered, "some results"}, "P": {Answered, "preliminary"}, "C": {Answered, "corrected"}, "R": {Going, "stored, not released"}, "F": {Answered, "final"},
	"X": {Trouble, "no result, cancelled"}, "Y": {Trouble, "no such order there"}, "Z": {Trouble, "no such patient there"},
}

// SaysOfOrder reads the status of an order (table 0038) and of its result (table 0123), ""
// for one that was not said. Where the two contradict each other it is unclear.
func SaysOfOrder(status, ofResult string) Told {
	if status == "" && ofResult == "" {
		return Told{Unclear, "no status"}
	}
	read := func(from map[string]Told, code, table string) Told {
		if t, ok := from[code]; ok {
			return t
		}
		return Told{Unclear, fmt.Sprintf("the status %q, which table %s does not have", code, table)}
	}
	if ofResult == "" {
		return read(orderStatuses, status, "0038")
	}
	second := read(resultStatuses, ofResult, "0123")
	if status == "" {
		return second
	}
	first := read(orderStatuses, status, "0038")
	if first.Standing == second.Standing {
		return first
	}
	both := Told{Unclear, first.Words + ", and of its result: " + second.Words}
	progress := func(s Standing) bool { return s == Going || s == Answered }
	if progress(first.Standing) && progress(second.Standing) {
		both.Standing = Answered
	}
	return both
}
