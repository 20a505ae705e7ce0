package note

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/core/chart"
	"deftledger/core/coding"
)

// Said is what is said of one diagnosis of the visit: how it responds to treatment,
// why, what complicates it, a remark, and the measures whose course is written out.
type Said struct {
	Code        string   `json:"code"`
	Response    string   `json:"response" enum:"improving,stable,worse,resolved,at goal,not at goal,new,"`
	Because     string   `json:"because" maxLength:"300"`
	Complicated string   `json:"complicated" maxLength:"300"`
	Remark      string   `json:"remark" maxLength:"1000"`
	Measures    []string `json:"measures" maxItems:"8"`
	Version     int      `json:"version"`
}

// Responses are the ways in which a diagnosis can respond, as they read.
var Responses = map[string]string{
	"improving": "Improving", "stable": "Stable", "worse": "Worse", "resolved": "Resolved",
	"at goal": "At goal", "not at goal": "Not at goal", "new": "New",
}

// ResponseOrder is the order in which responses are offered.
var ResponseOrder = []string{"improving", "stable", "worse", "resolved", "at goal", "not at goal", "new"}

// Stated is a diagnosis with what is said of it, and the course of its measures.
type Stated struct {
	Said
	Title   string
	Courses []string
}

// Sentences writes what is said of a diagnosis: "Worse: the diuretic was stopped;
// complicated by chronic kidney disease. Home readings too."
func (s Stated) Sentences() []Piece {
	var out []Piece
	var parts []string
	head := Responses[s.Response]
	if why := clause(s.Because); why != "" && head != "" {
		head += ": " + why
	} else if why != "" {
		head = why
	}
	if head != "" {
		parts = append(parts, head)
	}
	if by := clause(s.Complicated); by != "" {
		parts = append(parts, "complicated by "+by)
	}
	if len(parts) > 0 {
		out = append(out, Piece{Text: Sentence(strings.Join(parts, "; ")), Origin: Chosen, Source: "", Looked: true, Ref: "diagnosis." + s.Code})
	}
	for _, c := range s.Courses {
		out = append(out, Piece{Text: c, Origin: FromChart, Source: "", Looked: true, Ref: "diagnosis." + s.Code})
	}
	if r := strings.TrimSpace(s.Remark); r != "" {
		out = append(out, Piece{Text: Sentence(r), Origin: Typed, Source: "", Looked: true, Ref: "diagnosis." + s.Code})
	}
	return out
}

// clause brings words into the middle of a sentence: no full stop, no doubled lead.
func clause(s string) string {
	s = strings.TrimRight(chart.Tidy(s), ".;, ")
	for _, lead := range []string{"because of ", "because ", "complicated by ", "due to "} {
		if len(s) > len(lead) && strings.EqualFold(s[:len(lead)], lead) {
			s = s[len(lead):]
		}
	}
	return s
}

// Recorded is one value of a measure as it was recorded, its unit, and when (RFC 3339
// or as precise as it came).
type Recorded struct{ Value, Unit, At string }

// Course writes the first, the last and the present value of a measure with their
// dates, from values oldest first. Values in another unit than the newest are left
// out, and said to be. It says nothing that was not recorded: no percentage, no trend.
func Course(name string, values []Recorded, shown func(string) string) string {
	if len(values) == 0 {
		return ""
	}
	now := values[len(values)-1]
	same := slices.DeleteFunc(slices.Clone(values), func(v Recorded) bool { return v.Unit != now.Unit })
	say := func(v Recorded) string {
		u := shown(v.Unit)
		if u != "" && !strings.HasPrefix(u, "/") {
			u = " " + u
		}
		return fmt.Sprintf("%s%s on %s", v.Value, u, courseDay(v.At))
	}
	text := name + " "
	switch n := len(same); {
	case n == 1:
		text += say(now)
	case n == 2:
		text += say(same[0]) + ", " + say(now)
	default:
		text += "first " + say(same[0]) + ", last " + say(same[n-2]) + ", now " + say(now)
	}
	if len(same) < len(values) {
		text += " (earlier values in another unit are left out)"
	}
	return text + "."
}

func courseDay(at string) string {
	for _, layout := range []string{time.RFC3339, "2006-01-02T15:04Z07:00", time.DateOnly} {
		if t, err := time.Parse(layout, at); err == nil {
			return t.Format("02 Jan 2006")
		}
	}
	return at
}

// measuresFor are the measures that show the course of a condition, by the beginning
// of its code: what is followed in the usual care of it. LOINC codes.
var measuresFor = []struct {
	codes string
	loinc []string
}{
	{"E08 E09 E10 E11 E13 R73", []string{"4548-4"}},
	{"I10 I11 I12 I13 I15 I16 R03", []string{"85354-9"}},
	{"I50", []string{"29463-7", "85354-9"}},
	{"E78", []string{"13457-7"}},
	{"N18 N17", []string{"98979-8", "2160-0"}},
	{"E03 E05 E06 E02", []string{"3016-3"}},
	{"M10 M1A", []string{"3084-1"}},
	{"D50", []string{"718-7", "2276-4"}},
	{"D51 D52 D53 D64", []string{"718-7"}},
	{"E66 R63", []string{"29463-7", "39156-5"}},
	{"E55", []string{"62292-8"}},
	{"J44 J45 J96", []string{"59408-5"}},
	{"G89 M25 M54 M79 R52", []string{"72514-3"}},
}

// Rated says what a diagnosis is from what the physician said of it: only a response that
// was stated counts, and only for what the code may be: an acute problem that is worse is no
// chronic illness with exacerbation. A symptom, a new condition, and what may be either stay
// for a person to rate.
func Rated(s Said, code string) (coding.ProblemKind, string) {
	course, said := coding.CourseOf(code), "said to be "+s.Response
	switch s.Response {
	case "stable", "at goal":
		switch course {
		case coding.Lasting:
			return coding.StableChronic, said
		case coding.Passing:
			return coding.StableAcute, said + ", and acute by its code"
		}
		return coding.Unrated, said + "; its code does not say whether it is acute or chronic"
	case "improving":
		return coding.Unrated, "improving is not yet at goal: say whether it is stable"
	case "worse", "not at goal":
		if course == coding.Lasting {
			return coding.ChronicWorse, said
		}
		return coding.Unrated, said + ", and not chronic by its code: say what it is"
	}
	return coding.Unrated, ""
}

// MeasureLOINC lists the LOINC codes of all measures that show the course of a condition.
func MeasureLOINC() []string {
	var out []string
	for _, m := range measuresFor {
		out = append(out, m.loinc...)
	}
	return out
}

// MeasuresFor lists the LOINC codes of the measures that show the course of a code.
func MeasuresFor(code string) []string {
	var out []string
	for _, m := range measuresFor {
		for _, c := range strings.Fields(m.codes) {
			if strings.HasPrefix(code, c) {
				out = append(out, m.loinc...)
			}
		}
	}
	return out
}
