package reminder

import (
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// Tobacco is what a social history says of smoking cigarettes, as far as it can be read.
type Tobacco struct {
	Status string  // "current", "former", "never", "not now" (whether ever is not said), "" for not known
	Low    float64 // pack-years at least
	High   float64 // at most; +Inf for no bound said
	Known  bool    // whether pack-years were said
	Quit   Span    // when the last cigarette was, where that is known
	HasEnd bool
}

// Ever says whether the person ever smoked; known is false where that is not said.
func (t Tobacco) Ever() (ever, known bool) {
	switch t.Status {
	case "current", "former":
		return true, true
	case "never":
		return false, true
	}
	return t.Known && t.Low > 0, t.Known && t.Low > 0
}

const figure = `(\d+(?:\.\d+)?|½|1/2|half an?|half|an?|one|two|three|four|five|ten|fifteen|twenty|thirty|forty)`

var (
	packYears  = regexp.MustCompile(`(?:(>|more than|over|at least|≥|>=) ?)?(\d+(?:\.\d+)?) ?\+?[ -]?(?:pack|pk)[ -]?(?:years?|yrs?|y)\b|(?:(>|more than|over|at least) ?)?(\d+(?:\.\d+)?) ?py\b`)
	packsADay  = regexp.MustCompile(figure + `(?: ?- ?(\d+(?:\.\d+)?))? ?(?:ppd\b|packs? ?(?:a|per|/|each|every) ?(day|d|week|wk)\b|packs? (daily|weekly)\b|pk ?/ ?d\b)`)
	cigarettes = regexp.MustCompile(`(\d+)(?: ?- ?(\d+))? ?(?:(?:cigarettes?|cigs?) ?(?:(?:a|per|/|each|every) ?(?:day|d)\b|daily)|/ ?(?:day|d)\b)`)
	forYears   = regexp.MustCompile(`(?:x|for|,)? ?\b(\d{1,2})(?: ?- ?(\d{1,2}))? ?(?:years?|yrs?|y)\b`)
	sinceYear  = regexp.MustCompile(`\bsince (?:(?:age|the) )?((?:19|20)\d\d)\b`)
	yearsAgo   = regexp.MustCompile(`\b(\d{1,2}|a|one|two|three|four|five|ten) ?(years?|yrs?|y|months?|mos?|weeks?|wks?) ago\b`)
	isoDay     = regexp.MustCompile(`\b((?:19|20)\d\d)-(\d\d)(?:-(\d\d))?\b`)
	slashMonth = regexp.MustCompile(`\b(\d{1,2})/((?:19|20)\d\d)\b`)
	namedMonth = regexp.MustCompile(`\b(jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*\.? ((?:19|20)\d\d)\b`)
	bareYear   = regexp.MustCompile(`\b((?:19|20)\d\d)\b`)

	others    = regexp.MustCompile(`\bvap\w*|\be-?cig\w*|\bchew\w*|\bsmokeless\b|\bsnuff\b|\bcigars?\b|\bpipe\b|\bmarijuana\b|\bcannabis\b|\bhookah\b`)
	ofOthers  = regexp.MustCompile(`\b(?:husband|wife|mother|father|mom|dad|partner|roommate|parents?|spouse|passive|second ?hand|exposure)\b`)
	neverHas  = regexp.MustCompile(`^never$|\bnever (?:a )?(?:smoker|smoked|smokes|smoking|used|user|cigarettes)\b|\bhas never smoked\b|\blife-?long (?:non-?smoker|never)\b`)
	stopped   = regexp.MustCompile(`\b(?:former|ex)(?:[ -]|\b)(?:smoker)?|\b(?:quit|stopped|stoped|gave up|given up|ceased)\b|\bnot smoked since\b|\bno longer smokes?\b|\bsmoker until\b|\bsmoked until\b`)
	notQuit   = regexp.MustCompile(`\b(?:trying|wants?|wanting|ready|interest(?:ed)?|able|plans?|planning|wishes|like|hopes?|considering|thinking|motivated|advised|counsel\w*|unable|hoping|willing) (?:to|in|of|about)?\s*(?:quit\w*|stop\w*)?\b|\bnever (?:been able to )?quit\b|\bquit multiple\b|\btried to quit\b|\bquit date\b`)
	again     = regexp.MustCompile(`\b(?:restart\w*|resum\w*|relaps\w*|again|back to|multiple times|several times|on and off|off and on)\b`)
	smokesNow = regexp.MustCompile(`\b(?:smokes|smoking|smoker|still smok\w+|current(?:ly)?|every ?day smoker|social smoker|now \d)\b`)
	notNow    = regexp.MustCompile(`^(?:no|none|denies)$|\bnon-?smoker\b|\bdenies\b(?: (?:any )?(?:tobacco|smoking|use|cigarettes))?|\bdoes(?: not|n't) (?:currently )?smoke\b|\btobacco: (?:none|no)\b`)
	unsaid    = regexp.MustCompile(`\?|\bunknown\b|\bn/?a\b|\bdeclined\b|\brefus\w+\b|\bnot (?:asked|known|sure)\b|\bunsure\b|\bpossibly\b|\bmaybe\b|\bnever really\b`)
)

var figures = map[string]float64{"½": 0.5, "1/2": 0.5, "half": 0.5, "half a": 0.5, "half an": 0.5, "a": 1, "an": 1, "one": 1, "two": 2, "three": 3,
	"four": 4, "five": 5, "ten": 10, "fifteen": 15, "twenty": 20, "thirty": 30, "forty": 40}

func number(s string) float64 {
	if n, ok := figures[s]; ok {
		return n
	}
	n, _ := strconv.ParseFloat(s, 64)
	return n
}

// ReadTobacco reads what was written under "Tobacco" on a day. What is not certain stays open:
// "quit for 3 years then restarted" has no status, and "1 ppd x 20 years" has pack-years and is
// not taken for a smoker of today.
func ReadTobacco(detail string, stated Day) Tobacco {
	s := strings.ToLower(strings.Join(strings.Fields(detail), " "))
	s = strings.NewReplacer("–", "-", "’", "'").Replace(strings.TrimRight(s, ". "))
	t := Tobacco{High: math.Inf(1)}
	if s == "" || unsaid.MatchString(s) {
		return t
	}
	never := neverHas.MatchString(s)
	rest := s
	if others.MatchString(s) || ofOthers.MatchString(s) {
		// Of another kind of tobacco or another person: only an outright "never smoked" is of
		// cigarettes and of this one.
		if never && !ofOthers.MatchString(s) {
			return Tobacco{Status: "never", Known: true}
		}
		return t
	}
	if never && !strings.Contains(s, "really") {
		return Tobacco{Status: "never", Known: true}
	}
	wants := notQuit.MatchString(s)
	ended := stopped.MatchString(s) && !wants
	switch {
	case again.MatchString(s):
	case ended:
		t.Status = "former"
	case wants:
		t.Status = "current"
		if strings.Contains(s, "never quit") {
			t.Status = ""
		}
	case notNow.MatchString(s):
		t.Status = "not now"
	case smokesNow.MatchString(s), sinceYear.MatchString(s) && (packsADay.MatchString(s) || cigarettes.MatchString(s)):
		t.Status = "current"
	}
	if strings.Contains(s, " only") && !ended {
		t.Status = ""
	}
	if ended {
		t.Quit, t.HasEnd = quitDay(s, stated)
		if t.HasEnd && t.Quit.From > stated {
			return Tobacco{High: math.Inf(1)} // still to come
		}
		// "quit 10 years ago" is not how long somebody smoked.
		rest = yearsAgo.ReplaceAllString(rest, " ")
	}
	t.Low, t.High, t.Known = smoked(rest, stated)
	if !t.Known {
		t.Low, t.High = 0, math.Inf(1)
	}
	return t
}

// smoked counts pack-years, said or of packs and years.
func smoked(s string, stated Day) (low, high float64, ok bool) {
	if m := packYears.FindStringSubmatch(s); m != nil {
		n := number(m[2] + m[4])
		if m[1]+m[3] != "" {
			return n, math.Inf(1), true
		}
		return n, n, true
	}
	least, most := 0.0, 0.0
	if m := packsADay.FindStringSubmatch(s); m != nil {
		least = number(m[1])
		most = least
		if m[2] != "" {
			most = number(m[2])
		}
		if strings.HasPrefix(m[3], "w") || m[4] == "weekly" {
			least, most = least/7, most/7
		}
		s = packsADay.ReplaceAllString(s, " ")
	} else if m := cigarettes.FindStringSubmatch(s); m != nil {
		least = number(m[1]) / 20
		most = least
		if m[2] != "" {
			most = number(m[2]) / 20
		}
		s = cigarettes.ReplaceAllString(s, " ")
	} else {
		return 0, 0, false
	}
	if m := forYears.FindStringSubmatch(s); m != nil {
		from := number(m[1])
		to := from
		if m[2] != "" {
			to = number(m[2])
		}
		return least * from, most * to, true
	}
	if m := sinceYear.FindStringSubmatch(s); m != nil {
		years := float64(stated.time().Year()) - number(m[1])
		return least * max(years-1, 0), most * (years + 1), true
	}
	return 0, 0, false
}

// dayIn reads the one day, month or year that words name, up to the day on which they were
// said; several, or one that lies ahead, name none.
func dayIn(s string, stated Day) (Span, bool) {
	if yearsAgo.MatchString(s) {
		return quitDay(s, stated)
	}
	past := map[string]bool{}
	for _, y := range bareYear.FindAllString(s, -1) {
		if int(number(y)) <= stated.time().Year() {
			past[y] = true
		}
	}
	if len(past) != 1 {
		return Span{}, false
	}
	on, ok := quitDay(s, stated)
	for y := range past {
		if year, known := SpanOf(y); !ok && known {
			on, ok = year, true
		}
	}
	return on, ok && on.From <= stated
}

// quitDay reads when somebody stopped.
func quitDay(s string, stated Day) (Span, bool) {
	at := stated.time()
	month := func(year, month int) (Span, bool) {
		if month < 1 || month > 12 {
			return Span{}, false
		}
		first := time.Date(year, time.Month(month), 1, 0, 0, 0, 0, time.UTC)
		return Span{dayAt(first), dayAt(first.AddDate(0, 1, 0)) - 1}, true
	}
	year := func(y int) (Span, bool) {
		return Span{dayAt(time.Date(y, 1, 1, 0, 0, 0, 0, time.UTC)), dayAt(time.Date(y, 12, 31, 0, 0, 0, 0, time.UTC))}, true
	}
	if m := isoDay.FindString(s); m != "" {
		return SpanOf(m)
	}
	if m := slashMonth.FindStringSubmatch(s); m != nil {
		return month(int(number(m[2])), int(number(m[1])))
	}
	if m := namedMonth.FindStringSubmatch(s); m != nil {
		names := "jan feb mar apr may jun jul aug sep oct nov dec"
		return month(int(number(m[2])), strings.Index(names, m[1])/4+1)
	}
	if m := yearsAgo.FindStringSubmatch(s); m != nil {
		n := int(number(m[1]))
		switch m[2][0] {
		case 'm':
			then := at.AddDate(0, -n, 1-at.Day())
			return month(then.Year(), int(then.Month()))
		case 'w':
			then := stated - Day(7*n)
			return Span{then - 6, then + 6}, true
		}
		return year(at.Year() - n)
	}
	if strings.Contains(s, "last year") {
		return year(at.Year() - 1)
	}
	if all := bareYear.FindAllString(s, -1); len(all) == 1 {
		return year(int(number(all[0])))
	}
	return Span{}, false
}
