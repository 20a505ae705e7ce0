package result

import "strings"

// HoldReason is why a result is not released to the patient at once.
type HoldReason string

// The reasons there are: those that 45 CFR 171.201 and 171.202 (ONC, 2020) know. A wish to spare the patient bad news is none.
const (
	HoldHarm    HoldReason = "harm"
	HoldPrivacy HoldReason = "privacy"
	HoldWish    HoldReason = "wish"
	HoldWrong   HoldReason = "wrong"
)

// HoldReasons says them, in order, with where they stand.
var HoldReasons = []struct {
	Reason HoldReason
	Says   string
}{
	{HoldHarm, "Danger to the life or physical safety of the patient or somebody else (45 CFR 171.201)"},
	{HoldPrivacy, "A privacy law does not allow it (45 CFR 171.202(b))"},
	{HoldWish, "The patient asked for it not to be shared (45 CFR 171.202(e))"},
	{HoldWrong, "The data are known to be wrong, or thought so for a reason (45 CFR 171.201(c)(2))"},
}

// Says is the reason in words, "" for one that is not known.
func (r HoldReason) Says() string {
	for _, x := range HoldReasons {
		if x.Reason == r {
			return x.Says
		}
	}
	return ""
}

// Releasable says whether an issue of this status goes to the patient: what is final or corrected. What is preliminary waits for it.
func Releasable(status string) bool {
	s := strings.ToUpper(status)
	return s == "F" || s == "C" || s == ""
}
