package cql

import (
	"fmt"
	"strings"

	"deftledger/core/reminder"
)

// satisfied defines what fulfils the rule.
func (w *writer) satisfied() string {
	var certain, maybe []string
	open := []string{}
	for i, s := range w.rule.Satisfied {
		if s.Priming != nil {
			w.cannot("two doses in a first season")
		}
		lasts := w.length(s.Lasts)
		facts := w.facts(s.Of)
		sure := "F.sure"
		if lasts.Unit != reminder.Forever {
			sure += " and not F.undated"
		}
		where := []string{}
		if from := w.length(s.From); from.Given() {
			where = append(where, fmt.Sprintf("(F.undated or C.\"Born First\"(Patient) is null or F.high >= %s)", after(`C."Born First"(Patient)`, from)))
			sure += fmt.Sprintf(" and (F.undated or C.\"Born First\"(Patient) is not null and F.low >= %s)", after(`C."Born Last"(Patient)`, from))
		}
		if s.Is.Op != "" {
			where = append(where, fmt.Sprintf("(%s is not false)", w.judge(s.Of, s.Is)))
			sure += fmt.Sprintf(" and (%s is true)", w.judge(s.Of, s.Is))
		}
		filter := ""
		if len(where) > 0 {
			filter = " where " + strings.Join(where, " and ")
		}
		good := goodIf(lasts)
		if len(s.ByResult) > 0 {
			good = "(case"
			shorter := ""
			for _, b := range s.ByResult {
				l := w.length(b.Lasts)
				j := w.judge(s.Of, b.Is)
				good += fmt.Sprintf(" when %s is true then %s", j, goodIf(l))
				if days(l) < days(lasts) {
					shorter += fmt.Sprintf(" and (%s is not null or %s)", j, goodIf(l))
				}
			}
			good += fmt.Sprintf(" else %s%s end)", goodIf(lasts), shorter)
		}
		name := fmt.Sprintf("Satisfier %d %s", i+1, s.Of)
		all := w.define(name, fmt.Sprintf("%s F%s return Tuple{at: F.high, undated: F.undated, sure: %s, good: F.undated or %s}", facts, filter, sure, good))
		if len(s.ByResult) > 0 {
			newest := w.define(name+" Newest", fmt.Sprintf("Max(%s S where S.sure and not S.undated return S.at)", all))
			all = w.define(name+" Last", fmt.Sprintf("%s S where S.undated or %s is null or S.at >= %s", all, newest, newest))
			certain = append(certain, fmt.Sprintf("(exists (%s S where S.sure) and not exists (%s S where S.sure and not S.good))", all, all))
		} else {
			certain = append(certain, fmt.Sprintf("exists (%s S where S.sure and S.good)", all))
		}
		maybe = append(maybe, fmt.Sprintf("exists (%s S where not S.sure and S.good)", all))
		for n, b := range s.ByResult {
			if len(b.FollowedBy) > 0 {
				open = append(open, w.unfollowed(fmt.Sprintf("%s Result %d", name, n+1), s.Of, facts, b))
			}
		}
	}
	if len(certain) == 0 {
		return "define \"Satisfied\": false\n"
	}
	fulfilled := fmt.Sprintf("C.\"One\"(%s, %s)", strings.Join(certain, "\n    or "), strings.Join(maybe, "\n    or "))
	if len(open) == 0 {
		return "define \"Satisfied\": " + fulfilled + "\n"
	}
	return fmt.Sprintf("define \"To Be Followed Up\": First((%s) U sort by at descending)\n\ndefine \"Satisfied\": if \"To Be Followed Up\" is null then %s\n  else if \"To Be Followed Up\".through > \"Today\" then true\n  else if \"To Be Followed Up\".followed is null then null as Boolean else false\n",
		strings.Join(open, " union "), fulfilled)
}

// unfollowed are results after which something else has to come and has not for certain.
func (w *writer) unfollowed(name, of, facts string, b reminder.Result) string {
	var certain, maybe []string
	for _, n := range b.FollowedBy {
		from := "F.low"
		other := ""
		if n == of {
			from, other = "F.low + 1 day", " and G.id != F.id"
		}
		certain = append(certain, fmt.Sprintf("exists (%s G where not G.undated and G.sure and G.low >= %s%s)", w.facts(n), from, other))
		maybe = append(maybe, fmt.Sprintf("exists (%s G where (G.undated or G.high >= %s)%s)", w.facts(n), from, other))
	}
	all := w.define(name, fmt.Sprintf("%s F where not F.undated and F.sure and %s is true return Tuple{at: F.high, id: F.id, through: %s, followed: C.\"One\"(%s, %s)}",
		facts, w.judge(of, b.Is), after("F.low", w.length(b.Lasts)), strings.Join(certain, " or "), strings.Join(maybe, " or ")))
	return fmt.Sprintf("(%s U where U.followed is not true)", all)
}

// goodIf is that something that lasts so long still holds, from the first day it may have been.
func goodIf(l reminder.Length) string {
	if l.Unit == reminder.Forever {
		return "true"
	}
	return fmt.Sprintf("\"Today\" < %s", after("F.low", l))
}

func days(l reminder.Length) int {
	return l.N * map[reminder.Unit]int{reminder.Days: 1, reminder.Weeks: 7, reminder.Months: 30, reminder.Years: 365, reminder.Forever: 100000}[l.Unit]
}

// outOfSeason is whether today lies out of the season of a rule.
func outOfSeason(s *reminder.Season) string {
	day := `(month from "Today") * 100 + (day from "Today")`
	from, to := strings.ReplaceAll(s.From, "-", ""), strings.ReplaceAll(s.To, "-", "")
	from, to = strings.TrimPrefix(from, "0"), strings.TrimPrefix(to, "0")
	if s.From <= s.To {
		return fmt.Sprintf("%s < %s or %s > %s", day, from, day, to)
	}
	return fmt.Sprintf("%s < %s and %s > %s", day, from, day, to)
}
