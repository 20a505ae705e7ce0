package outside

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
