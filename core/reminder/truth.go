package reminder

// Truth of a condition: it holds, it does not, or the chart does not say.
type Truth int8

// The three answers.
const (
	False Truth = -1
	Open  Truth = 0 // not known
	True  Truth = 1
)

// String is the word for it.
func (t Truth) String() string {
	switch t {
	case True:
		return "yes"
	case False:
		return "no"
	}
	return "not known"
}

func truth(b bool) Truth {
	if b {
		return True
	}
	return False
}

func (t Truth) not() Truth { return -t }

func and(a, b Truth) Truth { return min(a, b) }

// verdict is the truth of a condition on a day, since which day it has been so as far as is
// known (Ever for always), and from which day on it may be otherwise by time alone.
type verdict struct {
	truth        Truth
	since, until Day
}

func always(t Truth) verdict { return verdict{t, Ever, Never} }

func (v verdict) not() verdict { return verdict{-v.truth, v.since, v.until} }

// both is that a and b hold. What is false stays so while one of the false ones does; what is
// true is so since the later of them.
func both(a, b verdict) verdict {
	switch t := min(a.truth, b.truth); {
	case t == False && a.truth != b.truth:
		if a.truth == False {
			return a
		}
		return b
	case t == False:
		return verdict{False, min(a.since, b.since), max(a.until, b.until)}
	default:
		return verdict{t, max(a.since, b.since), min(a.until, b.until)}
	}
}

// either is that one of them holds.
func either(a, b verdict) verdict { return both(a.not(), b.not()).not() }
