package outside

import (
	"slices"
	"sort"
	"strings"
	"time"
	"unicode"

	"deftledger/core/chart"
)

// Nicknames are short forms of given names, each with the names it may stand for, folded.
type Nicknames map[string][]string

// ReadNicknames reads a table of a name and a short form of it, a pair a line.
func ReadNicknames(table string) Nicknames {
	out := Nicknames{}
	for line := range strings.Lines(table) {
		name, short, ok := strings.Cut(strings.TrimSpace(line), "\t")
		if !ok || strings.HasPrefix(line, "#") {
			continue
		}
		name, short = chart.Fold(name), chart.Fold(short)
		out[short] = append(out[short], name)
		out[name] = append(out[name], short)
	}
	return out
}

// same says whether two folded names may be of one person: one is a short form of the other, or both of a third.
func (n Nicknames) same(a, b string) bool {
	return slices.Contains(n[a], b) || slices.ContainsFunc(n[a], func(x string) bool { return slices.Contains(n[x], b) && len(n[x]) < 12 })
}

// Candidate is a patient who may be meant, with what speaks for it.
type Candidate struct {
	Patient chart.Patient
	Score   float64  // in bits: the logarithm of how much likelier what agrees is of one person than of two
	Agree   []string // in words, also what nearly agrees
	Differ  []string // what was stated and differs

	how map[string]string // of each field that agrees, in which way: "" for in every letter
}

// The weights are those of Fellegi and Sunter (Journal of the American Statistical Association 64, 1969): log2(m/u), where m is how often
// a field agrees so in two records of one person, and u how often in those of two. m and u are our estimates for a practice of some
// ten thousand: of records that clerks and patients write, one family name in fifteen and one birth date in thirty is not as elsewhere.
const (
	bitsRecord      = 20.0
	bitsBirth       = 13.0 // one day in some 30,000
	bitsSwapped     = 9.0  // day and month exchanged
	bitsDigit       = 7.0  // a digit differs, or two neighbours are exchanged
	bitsMonth       = 7.0  // only the month was stated
	bitsYear        = 4.0
	bitsFamily      = 9.0
	bitsPart        = 7.0
	bitsNearFamily  = 6.0
	bitsSound       = 4.0
	bitsGiven       = 6.0
	bitsShort       = 4.5
	bitsNearGiven   = 4.0
	bitsInitial     = 2.0
	bitsExchanged   = 13.0 // given and family name
	bitsSex         = 1.0
	bitsPhone       = 9.0
	bitsPhoneEnd    = 7.0
	bitsNotBirth    = -5.0
	bitsNotFamily   = -3.0 // it changes with a marriage
	bitsNotGiven    = -4.0
	bitsNotSex      = -3.0
	bitsNotPhone    = -0.5 // it changes often
	bitsNotRecord   = -4.0
	leastBits       = 3.0
	leastTellingFor = 4 // letters from which one may differ
)

// Candidates ranks patients by how probable it is that an identity means them, best first, and leaves out those with which nothing
// telling agrees. It decides nothing: a person does.
func Candidates(all []chart.Patient, id Identity, house string, short Nicknames, limit int) []Candidate {
	var out []Candidate
	for _, p := range all {
		c := compare(p, id, house, short)
		if c.Score >= leastBits {
			out = append(out, c)
		}
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].Score > out[j].Score })
	return out[:min(limit, len(out))]
}

// compare weighs what of an identity agrees with a patient.
func compare(p chart.Patient, id Identity, house string, short Nicknames) Candidate {
	c := Candidate{Patient: p, how: map[string]string{}}
	telling := false
	agree := func(what string, bits float64) {
		c.Agree, c.Score = append(c.Agree, what), c.Score+bits
		field, way, _ := strings.Cut(strings.TrimSuffix(what, ")"), " (")
		c.how[field] = way
		telling = telling || bits > bitsInitial
	}
	differ := func(what string, bits float64) { c.Differ, c.Score = append(c.Differ, what), c.Score+bits }
	ff, fp := chart.Fold(id.Family), chart.Fold(p.Name.Family)
	gf, gp := chart.Fold(id.Given), chart.Fold(p.Name.Given)
	if ff != "" && gf != "" && ff == gp && gf == fp {
		agree("names (given and family name exchanged)", bitsExchanged)
	} else {
		switch {
		case ff == "":
			differ("family name", 0)
		case ff == fp:
			agree("family name", bitsFamily)
		case near(ff, fp):
			agree("family name (a letter or two differ)", bitsNearFamily)
		case partOf(id.Family, p.Name.Family):
			agree("part of the family name", bitsPart)
		case len(ff) >= leastTellingFor && sound(ff) == sound(fp):
			agree("family name (by its sound)", bitsSound)
		default:
			differ("family name", bitsNotFamily)
		}
		switch {
		case gf == "":
			differ("given name", 0)
		case gf == gp:
			agree("given name", bitsGiven)
		case first(id.Given) == first(p.Name.Given) && len(first(id.Given)) > 1:
			agree("given name (the first of several)", bitsGiven-1)
		case short.same(first(id.Given), first(p.Name.Given)):
			agree("given name (a short form)", bitsShort)
		case near(gf, gp):
			agree("given name (a letter or two differ)", bitsNearGiven)
		case len(gf) == 1 && strings.HasPrefix(gp, gf) || len(gp) == 1 && strings.HasPrefix(gf, gp):
			agree("given name (its initial only)", bitsInitial)
		default:
			differ("given name", bitsNotGiven)
		}
	}
	switch b, q := id.BirthDate, p.BirthDate; {
	case b == "" || q == "":
		differ("birth date", 0)
	case b == q:
		agree("birth date", bitsBirth)
	case len(b) < len(q) && strings.HasPrefix(q, b) && len(b) == len("2006-01"):
		agree("month of birth", bitsMonth)
	case len(b) < len(q) && strings.HasPrefix(q, b) && len(b) == len("2006"):
		agree("year of birth", bitsYear)
	case len(b) == len(time.DateOnly) && b[:5]+b[8:]+"-"+b[5:7] == q:
		agree("birth date (day and month exchanged)", bitsSwapped)
	case oneDigit(b, q):
		agree("birth date (a digit differs, or two are exchanged)", bitsDigit)
	default:
		differ("birth date", bitsNotBirth)
	}
	switch {
	case id.Sex == "" || p.Sex == "":
		differ("sex", 0)
	case strings.EqualFold(id.Sex, p.Sex):
		agree("sex", bitsSex)
	default:
		differ("sex", bitsNotSex)
	}
	if ours := OurRecords(id, p.Record, house); len(ours) > 0 {
		if slices.ContainsFunc(ours, func(n string) bool { return strings.EqualFold(n, p.Record) }) {
			agree("record number", bitsRecord)
		} else {
			differ("record number", bitsNotRecord)
		}
	}
	if a, b := digits(id.Phone), digits(p.Phone); a != "" && b != "" {
		switch {
		case a == b:
			agree("phone", bitsPhone)
		case len(a) >= 7 && len(b) >= 7 && a[len(a)-7:] == b[len(b)-7:]:
			agree("phone (without its area)", bitsPhoneEnd)
		default:
			differ("phone", bitsNotPhone)
		}
	} else if a != "" {
		differ("phone", 0)
	}
	if !telling {
		c.Score = 0
	}
	return c
}

// parts are the words of a name, folded.
func parts(name string) (out []string) {
	for _, w := range strings.FieldsFunc(name, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsMark(r) && r != '\'' && r != '’' }) {
		if w = chart.Fold(w); w != "" {
			out = append(out, w)
		}
	}
	return out
}

func first(name string) string {
	if all := parts(name); len(all) > 0 {
		return all[0]
	}
	return ""
}

// partOf says whether two family names have a whole word of three letters or more in common, or one begins or ends with the other.
func partOf(a, b string) bool {
	x, y := parts(a), parts(b)
	for _, w := range x {
		if len(w) >= 3 && slices.Contains(y, w) {
			return true
		}
	}
	f, g := strings.Join(x, ""), strings.Join(y, "")
	if len(f) > len(g) {
		f, g = g, f
	}
	return len(f) > 3 && (strings.HasPrefix(g, f) || strings.HasSuffix(g, f))
}

// near says whether two folded names differ by so few letters (left out, put in, wrong, or two neighbours exchanged) that they may be one:
// by one from four letters on, by two from eight.
func near(a, b string) bool {
	x, y := []rune(a), []rune(b)
	most := 0
	switch n := min(len(x), len(y)); {
	case n >= 8:
		most = 2
	case n >= leastTellingFor:
		most = 1
	}
	d := len(x) - len(y)
	return most > 0 && d <= most && -d <= most && distance(x, y) <= most
}

// distance is that of Damerau and Levenshtein, where what was exchanged is not changed again.
func distance(a, b []rune) int {
	rows := make([][]int, len(a)+1)
	for i := range rows {
		rows[i] = make([]int, len(b)+1)
		rows[i][0] = i
	}
	for j := range b {
		rows[0][j+1] = j + 1
	}
	for i := 1; i <= len(a); i++ {
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			rows[i][j] = min(rows[i-1][j]+1, rows[i][j-1]+1, rows[i-1][j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				rows[i][j] = min(rows[i][j], rows[i-2][j-2]+1)
			}
		}
	}
	return rows[len(a)][len(b)]
}

// oneDigit says whether two whole dates differ in one digit, or in two neighbours that are exchanged.
func oneDigit(a, b string) bool {
	if len(a) != len(time.DateOnly) || len(b) != len(a) {
		return false
	}
	x, y := digits(a), digits(b)
	var at []int
	for i := range x {
		if x[i] != y[i] {
			at = append(at, i)
		}
	}
	return len(at) == 1 || len(at) == 2 && at[1] == at[0]+1 && x[at[0]] == y[at[1]] && x[at[1]] == y[at[0]]
}

// BirthsLike are the days that may be meant by a birth date that was written wrongly: with day and month exchanged, another digit, or
// two neighbours exchanged. The date itself is the first. What is no whole date is alone.
func BirthsLike(birth string) []string {
	out := []string{birth}
	if _, err := time.Parse(time.DateOnly, birth); err != nil {
		return out
	}
	add := func(s string) {
		if _, err := time.Parse(time.DateOnly, s); err == nil && !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	add(birth[:5] + birth[8:] + "-" + birth[5:7])
	d := digits(birth)
	write := func(b []byte) { add(string(b[:4]) + "-" + string(b[4:6]) + "-" + string(b[6:])) }
	for i := range d {
		for n := byte('0'); n <= '9'; n++ {
			b := []byte(d)
			b[i] = n
			write(b)
		}
		if i > 0 {
			b := []byte(d)
			b[i-1], b[i] = b[i], b[i-1]
			write(b)
		}
	}
	return out
}

// sound is the Soundex code of a folded name (United States National Archives, "The Soundex Indexing System").
func sound(name string) string {
	const codes = "01230120022455012623010202" // a to z; h and w do not part two letters of one code, vowels do
	var out []byte
	last := byte('0')
	for i := 0; i < len(name) && len(out) < 4; i++ {
		l := name[i]
		if l < 'a' || l > 'z' {
			return name // not of letters we know: only itself sounds like it
		}
		code := codes[l-'a']
		switch {
		case len(out) == 0:
			out = append(out, l)
		case code != '0' && code != last:
			out = append(out, code)
		}
		if l != 'h' && l != 'w' {
			last = code
		}
	}
	return (string(out) + "0000")[:max(4, len(out))]
}
