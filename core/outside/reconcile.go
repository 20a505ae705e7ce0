package outside

import (
	"slices"
	"strings"

	"deftledger/core/chart"
)

// Decision is what a person does with an entry that came from outside.
type Decision string

// The decisions: the chart has it from then on, or not, or had it already.
const (
	TakeIn   Decision = "take in"
	LeaveOut Decision = "leave out"
	Join     Decision = "join"
)

// Decisions are all of them.
var Decisions = []Decision{TakeIn, LeaveOut, Join}

// Entry is an entry of a list, in the chart or from outside.
type Entry struct{ ID, List, Title, Detail string }

// Beside finds the entry of the chart that one from outside may be: of the same list, with
// the same first word of its name. same: they say the same in every word. It may be; a
// person decides.
func Beside(held []Entry, e Entry) (beside Entry, same, found bool) {
	name := chart.Fold(firstWord(e.Title))
	i := slices.IndexFunc(held, func(h Entry) bool {
		return h.List == e.List && firstWord(e.Title) != "" && chart.Fold(firstWord(h.Title)) == name
	})
	if i < 0 {
		return Entry{}, false, false
	}
	words := func(x Entry) string { return chart.Tidy(x.Title + " " + x.Detail) }
	return held[i], strings.EqualFold(words(held[i]), words(e)), true
}

func firstWord(s string) string {
	if f := strings.Fields(s); len(f) > 0 {
		return f[0]
	}
	return ""
}
