package note

import (
	"regexp"
	"slices"
	"strings"
)

// Unread is a piece of a typed line that was not understood; nothing is done with it.
type Unread struct {
	Text  string   `json:"text"`
	Could []string `json:"could"` // what it could mean
}

var splitLine = regexp.MustCompile(`"[^"]*"|[^,;\n"]+`)

// ReadLine reads a line of findings as somebody types it, clause by clause:
//
//	lungs                      the whole system normal (of the review: denied)
//	wheeze right moderate      a finding with its qualifiers
//	knee: effusion left        the same, where several systems have it
//	no murmur                  looked for and not there; a symptom denied
//	denies fever, chills       the whole list denied, as "no fever, chills or rash" is;
//	                           after "no fever", a bare "chills" could mean either
//	has chills                 there, after a denial (or: +chills, reports chills)
//	-chills                    taken out again
//	<lungs                     the system as at the last visit
//	"wide gait"                free words about the system named last
//	.                          all the rest of what is shown: denied, or normal
//
// rest are the systems shown. Words may be shortened to three letters. What is not
// understood, or could mean two things, is returned and changes nothing.
func (s *Systems) ReadLine(a Area, line string, rest []string) ([]Change, []Unread) {
	changes, unread := []Change{}, []Unread{}
	current, denying := "", ""
	pieces := splitLine.FindAllString(line, -1)
	read := func(c string, doubtful bool) {
		got, system, problem := s.readClause(a, c, current)
		if problem == nil && doubtful && len(got) == 1 && got[0].bare() {
			problem = doubt(c)
		}
		if problem != nil {
			unread = append(unread, *problem)
			return
		}
		if doubtful {
			denying = ""
		}
		current = system
		changes = append(changes, got...)
	}
	for n, raw := range pieces {
		clause := strings.TrimSpace(raw)
		if strings.HasPrefix(clause, "\"") {
			words := strings.TrimSpace(strings.Trim(clause, "\""))
			if current == "" {
				unread = append(unread, Unread{clause, []string{"name a system before its free words"}})
			} else if words != "" {
				changes = append(changes, Change{Area: a, System: current, State: Remark, Remark: words})
			}
			continue
		}
		// A stop that stands alone means the rest, wherever it stands.
		words := strings.Fields(clause)
		start := 0
		for k := 0; k <= len(words); k++ {
			if k < len(words) && words[k] != "." {
				continue
			}
			if c := strings.Join(words[start:k], " "); c != "" {
				sign, said := signOf(c)
				switch {
				case sign == "no" || sign == "denies":
					denying = sign
					for _, one := range alternatives(said) {
						read("no "+one, false)
					}
				case sign == "has":
					denying = ""
					read(said, false)
				case sign == "or" && denying != "" || sign == "" && (denying == "denies" || denying == "no" && goesOn(pieces[n:])):
					for _, one := range alternatives(said) {
						if _, alone := s.matchSystem(a, strings.Fields(strings.ToLower(one))); len(alone) > 0 {
							one = "no " + one
						}
						read(one, false)
					}
				default:
					if sign != "" {
						denying = ""
					}
					read(c, denying == "no")
				}
			}
			if k < len(words) {
				changes = append(changes, Change{Area: a, Rest: slices.Clone(rest)})
				denying = ""
			}
			start = k + 1
		}
	}
	return changes, unread
}

// bare says whether a change is a finding without anything said of it: after "no fever",
// a bare "chills" can be meant either way, "cough 2w" cannot.
func (c Change) bare() bool {
	return c.State == Present && c.Duration == "" && len(c.Words) == 0 && c.Side == "" && c.Severity == ""
}

// doubt hands a bare finding back as a question, so that it stays one when the line that
// it stood in is gone.
func doubt(said string) *Unread {
	return &Unread{said + "?", []string{"no " + said, "has " + said}}
}

var signWords = map[string]string{"no": "no", "denies": "denies", "denied": "denies", "without": "no", "has": "has", "reports": "has",
	"or": "or", "nor": "or"}

// signOf says how a clause begins: denied, reported, going on with a denial, or, as
// written, "-" and "<"; and what it says after that.
func signOf(clause string) (sign, said string) {
	switch clause[0] {
	case '-', '<':
		return clause[:1], clause[1:]
	case '+':
		return "has", strings.TrimSpace(clause[1:])
	}
	first, after, more := strings.Cut(clause, " ")
	if sign = signWords[strings.ToLower(first)]; sign != "" && more {
		return sign, strings.TrimSpace(after)
	}
	return "", clause
}

// alternatives parts "fever or chills" into what it names.
func alternatives(said string) []string {
	return orWord.Split(said, -1)
}

var orWord = regexp.MustCompile(`(?i)\s+n?or\s+`)

// goesOn says whether a list of denials goes on to an "or": "no fever, chills or rash".
func goesOn(pieces []string) bool {
	for _, p := range pieces {
		sign, said := signOf(strings.TrimSpace(p) + " ")
		if sign == "or" || orWord.MatchString(said) {
			return sign == "or" || sign == ""
		}
		if sign != "" {
			return false
		}
	}
	return false
}

var signs = strings.NewReplacer(":", " ", "(", " ", ")", " ", ".", " ")

// readClause reads one clause; a side may stand before what it is the side of.
func (s *Systems) readClause(a Area, clause, current string) ([]Change, string, *Unread) {
	if said, asked := strings.CutSuffix(clause, "?"); asked {
		return nil, "", doubt(said)
	}
	got, system, problem := s.readWords(a, clause, current)
	if first, after, more := strings.Cut(clause, " "); problem != nil && more &&
		slices.Contains([]string{"r", "right", "l", "left", "both", "bilateral"}, strings.ToLower(first)) {
		if again, of, p := s.readWords(a, after+" "+first, current); p == nil {
			return again, of, nil
		}
	}
	return got, system, problem
}

func (s *Systems) readWords(a Area, clause, current string) ([]Change, string, *Unread) {
	state := Present
	words := strings.TrimSpace(clause)
	lower := strings.ToLower(words)
	bring := false
	switch {
	case strings.HasPrefix(words, "-"):
		state, words = LeftOut, words[1:]
	case strings.HasPrefix(words, "<"):
		bring, words = true, words[1:]
	case strings.HasPrefix(lower, "no "):
		state, words = Absent, words[3:]
	}
	tokens := strings.Fields(strings.ToLower(signs.Replace(words)))
	duration := ""
	tokens, duration = takeDuration(tokens)
	system, left := s.matchSystem(a, tokens)
	if len(left) > 1 && (left[0] == "no" || left[0] == "denies") && state == Present {
		state, left = Absent, left[1:]
	}
	if bring {
		if system == "" || len(left) > 0 {
			return nil, "", &Unread{clause, []string{"name one system after <"}}
		}
		return []Change{{Area: a, System: system, Bring: true}}, system, nil
	}
	if system != "" && (len(left) == 0 || len(left) == 1 &&
		slices.Contains([]string{"normal", "nl", "clear", "ok", "wnl", "negative", "neg", "unremarkable"}, left[0])) && state == Present &&
		duration == "" {
		// "cough" is a symptom before it is anything else; a system's own name comes first.
		return []Change{{Area: a, System: system, State: Normal}}, system, nil
	}
	if system != "" && len(left) > 0 {
		if c, ok, _ := s.matchItem(a, []string{system}, left, state, duration); ok {
			return []Change{c}, system, nil
		}
	}
	if current != "" {
		if c, ok, _ := s.matchItem(a, []string{current}, tokens, state, duration); ok {
			return []Change{c}, current, nil
		}
	}
	var all []string
	for _, x := range s.Of(a) {
		all = append(all, x.ID)
	}
	c, ok, could := s.matchItem(a, all, tokens, state, duration)
	if !ok {
		return nil, "", &Unread{clause, could}
	}
	return []Change{c}, c.System, nil
}

var durationToken = regexp.MustCompile(`^\d+(\.\d+)?[a-z]*$`)

func takeDuration(tokens []string) ([]string, string) {
	for i, t := range tokens {
		if !durationToken.MatchString(t) {
			continue
		}
		end := i + 1
		d, ok := ReadDuration(t)
		if !ok && end < len(tokens) {
			d, ok = ReadDuration(t + tokens[end])
			end++
		}
		if !ok {
			continue
		}
		start := i
		if start > 0 && (tokens[start-1] == "for" || tokens[start-1] == "since") {
			start--
		}
		return append(slices.Clone(tokens[:start]), tokens[end:]...), d
	}
	return tokens, ""
}

// prefix says whether a typed word stands for a word: the same, or its first
// three letters or more.
func prefix(typed, word string) bool {
	return typed == word || len(typed) >= 3 && strings.HasPrefix(word, typed)
}

// matchSystem finds the system named at the start of the words. A word that also
// begins another system's name must be written out.
func (s *Systems) matchSystem(a Area, tokens []string) (string, []string) {
	if len(tokens) == 0 {
		return "", tokens
	}
	best, length, exact, tie := "", 0, false, false
	for _, x := range s.Of(a) {
		for _, name := range append([]string{x.ID, x.Name}, x.Also...) {
			parts := strings.Fields(strings.ToLower(strings.ReplaceAll(name, ",", " ")))
			if len(parts) > len(tokens) {
				continue
			}
			same, fits := true, true
			for i, p := range parts {
				same = same && tokens[i] == p
				fits = fits && prefix(tokens[i], p)
			}
			if !fits {
				continue
			}
			switch {
			case len(parts) > length || len(parts) == length && same && !exact:
				best, length, exact, tie = x.ID, len(parts), same, false
			case len(parts) == length && same == exact && best != x.ID:
				tie = true
			}
		}
	}
	if best == "" || tie {
		return "", tokens
	}
	return best, tokens[length:]
}

var fillers = []string{"of", "the", "in", "on", "at", "to", "with", "and", "a", "is", "for"}

// matchItem finds the one symptom or finding that all the words speak of.
func (s *Systems) matchItem(a Area, systems, tokens []string, state State, duration string) (Change, bool, []string) {
	type hit struct {
		c     Change
		score int
		name  string
	}
	var hits []hit
	for _, id := range systems {
		x, _ := s.System(a, id)
		for _, i := range x.Items() {
			if c, score, ok := i.match(tokens); ok {
				c.Area, c.System, c.State, c.Duration = a, id, state, duration
				hits = append(hits, hit{c, score, x.Name + ": " + i.Say})
			}
		}
		if state == LeftOut { // a normal aspect is taken out by its words
			for _, asp := range x.Aspects {
				i := Item{ID: asp.ID, Say: asp.Normal, Also: []string{asp.ID}}
				if c, score, ok := i.match(tokens); ok {
					c.Area, c.System, c.State = a, id, LeftOut
					hits = append(hits, hit{c, score, x.Name + ": " + asp.Normal})
				}
			}
		}
	}
	slices.SortStableFunc(hits, func(p, q hit) int { return q.score - p.score })
	if len(hits) == 0 {
		return Change{}, false, []string{}
	}
	if len(hits) > 1 && hits[0].score == hits[1].score {
		could := []string{}
		for _, h := range hits {
			if h.score == hits[0].score && len(could) < 4 {
				could = append(could, h.name)
			}
		}
		return Change{}, false, could
	}
	return hits[0].c, true, nil
}

// match says whether all the words speak of this item: of its name, or of what it
// is qualified by. A whole name scores above a part of one.
func (i Item) match(tokens []string) (Change, int, bool) {
	c := Change{Finding: i.ID, Words: []string{}}
	used := make([]bool, len(tokens))
	score := 0
	for _, name := range append([]string{i.Say, strings.ReplaceAll(i.ID, "-", " ")}, i.Also...) {
		parts := strings.Fields(strings.ToLower(name))
		n, hit := 0, make([]bool, len(tokens))
		for _, p := range parts {
			if slices.Contains(fillers, p) {
				n++
				continue
			}
			for k, t := range tokens {
				if !hit[k] && prefix(t, p) {
					hit[k] = true
					n++
					break
				}
			}
		}
		count := 0
		for _, h := range hit {
			if h {
				count++
			}
		}
		if count == 0 {
			continue
		}
		value := count * 10
		if n == len(parts) {
			value += 5
			if len(parts) == 1 && slices.Contains(tokens, parts[0]) {
				value++
			}
		}
		if value > score {
			score, used = value, hit
		}
	}
	if score == 0 {
		return c, 0, false
	}
	for _, list := range [][]string{i.Post, i.Pre} {
		for n, phrase := range list {
			if at := qualifierAt(list, n, tokens, used); len(at) > 0 {
				for _, k := range at {
					used[k] = true
				}
				c.Words = append(c.Words, phrase)
			}
		}
	}
	for k, t := range tokens {
		if used[k] || slices.Contains(fillers, t) {
			continue
		}
		switch {
		case i.Sided != "" && slices.Contains([]string{"left", "l"}, t):
			c.Side = "left"
		case i.Sided != "" && slices.Contains([]string{"right", "r"}, t):
			c.Side = "right"
		case i.Sided != "" && (t == "both" || prefix(t, "bilateral") || t == "sides"):
			c.Side = "both"
		case prefix(t, "mild"):
			c.Severity = "mild"
		case prefix(t, "moderate"):
			c.Severity = "moderate"
		case prefix(t, "severe"):
			c.Severity = "severe"
		default:
			return c, 0, false
		}
	}
	return c, score, true
}

// qualifierAt finds the words that speak of one qualifier of a list: all of its
// words, or one that no other qualifier of the list has.
func qualifierAt(list []string, n int, tokens []string, used []bool) []int {
	var at []int
	whole, unique := true, false
	for _, p := range strings.Fields(list[n]) {
		if slices.Contains(fillers, p) {
			continue
		}
		k := slices.IndexFunc(tokens, func(t string) bool { return prefix(t, p) })
		if k < 0 || used[k] {
			whole = false
			continue
		}
		at = append(at, k)
		others := 0
		for m, other := range list {
			if m != n && slices.ContainsFunc(strings.Fields(other), func(w string) bool { return prefix(tokens[k], w) }) {
				others++
			}
		}
		unique = unique || others == 0 && p != "left" && p != "right"
	}
	if whole || unique {
		return at
	}
	return nil
}
