package result

import (
	"fmt"
	"math/big"
	"strings"
	"time"
)

// Limit is a critical limit of the clinic: what is announced at once although the laboratory did not flag it so.
type Limit struct {
	LOINC, Name, Unit, Source string
	Below, Above              *big.Rat // nil for none
}

// ReadLimits reads the clinic's critical limits: LOINC, name, below, above, unit, source, with tabs between them.
func (a *Analytes) ReadLimits(table string) (out []Limit, err error) {
	for f, bad := range tabbed(table, 6) {
		if bad != nil {
			return nil, bad
		}
		l := Limit{LOINC: f[0], Name: f[1], Unit: f[4], Source: f[5]}
		for i, to := range []**big.Rat{&l.Below, &l.Above} {
			if f[2+i] == "" {
				continue
			}
			n, ok := number(f[2+i])
			if !ok {
				return nil, fmt.Errorf("the limit %q of %s is no number", f[2+i], f[1])
			}
			*to = n
		}
		if l.Below == nil && l.Above == nil || l.Below != nil && l.Above != nil && l.Below.Cmp(l.Above) >= 0 || l.Source == "" {
			return nil, fmt.Errorf("%s needs a limit, the lower below the upper, and a source", f[1])
		}
		out = append(out, l)
	}
	return out, nil
}

// Beyond says which of the clinic's limits a value is beyond; "" for none, and for what cannot be compared. A value with a comparator is
// beyond a limit where all that it may be is.
func (a *Analytes) Beyond(limits []Limit, v Value) string {
	if a == nil || !Live(v.Status) {
		return ""
	}
	text := strings.TrimSpace(v.Text)
	comparator := ""
	for _, c := range []string{"<=", ">=", "<", ">", "≤", "≥"} {
		if rest, found := strings.CutPrefix(text, c); found {
			comparator, text = c, strings.TrimSpace(rest)
			break
		}
	}
	n, ok := number(text)
	if !ok {
		return ""
	}
	for _, l := range limits {
		if v.LOINC != l.LOINC && !a.Same(v.LOINC, l.LOINC) {
			continue
		}
		x := n
		if v.Unit != l.Unit {
			f, err := a.factor(a.by[l.LOINC], v.Unit, l.Unit)
			if err != nil {
				continue
			}
			x = new(big.Rat).Mul(n, f)
		}
		low, high := strings.ContainsAny(comparator, "<≤"), strings.ContainsAny(comparator, ">≥")
		switch {
		case l.Below != nil && !high && (x.Cmp(l.Below) < 0 || low && x.Cmp(l.Below) <= 0):
			return fmt.Sprintf("below the clinic's critical limit of %s %s (%s)", figure(l.Below), l.Unit, l.Source)
		case l.Above != nil && !low && (x.Cmp(l.Above) > 0 || high && x.Cmp(l.Above) >= 0):
			return fmt.Sprintf("above the clinic's critical limit of %s %s (%s)", figure(l.Above), l.Unit, l.Source)
		}
	}
	return ""
}

func figure(r *big.Rat) string {
	f, _ := r.Float64()
	return short(f)
}

// Step is to whom a critical value is announced while nobody has taken it up.
type Step string

// The steps.
const (
	ToOwner     Step = "who answers for it"
	ToCover     Step = "who covers"
	ToEverybody Step = "everybody who may sign"
	ToOnCall    Step = "who is on call"
)

// StepsOf are the steps that there are, in their order; each is reached when the one before did not take it up.
func StepsOf(owner, cover bool) (out []Step) {
	if owner {
		out = append(out, ToOwner)
		if cover {
			out = append(out, ToCover)
		}
	}
	return append(out, ToEverybody, ToOnCall)
}

// Reached are the steps that were reached at a moment: one more each time that the clinic's time has passed.
func Reached(steps []Step, since, now time.Time, within time.Duration) []Step {
	n := 1
	if within > 0 && now.After(since) {
		n += int(now.Sub(since) / within)
	}
	return steps[:min(n, len(steps))]
}
