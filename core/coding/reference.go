package coding

import (
	"regexp"
	"strings"
)

// Reference is a code, or a span of codes, that an instructional note names.
type Reference struct {
	From, To string // bare codes; a code is meant when its beginning lies between them
	Fifth    string // characters one of which must stand in the fifth or sixth place; "" for any
	Rest     string // what must follow the category ("42" of "with .42"); "" for anything
}

var (
	inBrackets = regexp.MustCompile(`\(([^()]*)\)`)
	oneCode    = regexp.MustCompile(`^([A-Z][0-9][0-9A-Z](?:\.[0-9A-Z]{1,4})?)\.?-?$`)
	spanCodes  = regexp.MustCompile(`^([A-Z][0-9][0-9A-Z](?:\.[0-9A-Z]{1,4})?)-([A-Z][0-9][0-9A-Z](?:\.[0-9A-Z]{1,4})?)-?$`)
	restAfter  = regexp.MustCompile(`^(.*) with \.([0-9]+)$`)
	fifthSixth = regexp.MustCompile(`^(.*) with (?:fifth or sixth|5th) character ([0-9])(?:-([0-9]))?$`)
)

// References reads the codes that a note names in its brackets: "(E08.-)", "(N18.1-N18.6)",
// "(T36-T50 with fifth or sixth character 5)". What is no code there is left out.
func References(text string) []Reference {
	var out []Reference
	for _, m := range inBrackets.FindAllStringSubmatch(text, -1) {
		inside, fifth, rest := m[1], "", ""
		if f := restAfter.FindStringSubmatch(inside); f != nil {
			inside, rest = f[1], f[2]
		}
		if f := fifthSixth.FindStringSubmatch(inside); f != nil {
			inside, fifth = f[1], f[2]
			if f[3] != "" {
				for r := f[2][0] + 1; r <= f[3][0]; r++ {
					fifth += string(rune(r))
				}
			}
		}
		for _, part := range strings.FieldsFunc(strings.ReplaceAll(inside, " and ", ","), func(r rune) bool { return r == ',' || r == ';' }) {
			part = strings.TrimSpace(part)
			if p := spanCodes.FindStringSubmatch(part); p != nil {
				out = append(out, Reference{bare(p[1]), bare(p[2]), fifth, rest})
			} else if p := oneCode.FindStringSubmatch(part); p != nil {
				out = append(out, Reference{bare(p[1]), bare(p[1]), fifth, rest})
			}
		}
	}
	return out
}

// Means says whether a reference means a code, given with or without dot.
func (r Reference) Means(code string) bool {
	if code == "" || r.From == "" || code[0]&^0x20 < r.From[0] || code[0]&^0x20 > r.To[0] {
		return false // of another chapter: most are
	}
	b := bare(code)
	begin := func(n int) string { return b[:min(n, len(b))] }
	if len(b) < len(r.From) || begin(len(r.From)) < r.From || begin(len(r.To)) > r.To {
		return false
	}
	if r.Rest != "" && !strings.HasPrefix(b[min(3, len(b)):], r.Rest) {
		return false
	}
	return r.Fifth == "" || len(b) > 4 && strings.IndexByte(r.Fifth, b[4]) >= 0 || len(b) > 5 && strings.IndexByte(r.Fifth, b[5]) >= 0
}

func meansAny(rs []Reference, code string) bool {
	for _, r := range rs {
		if r.Means(code) {
			return true
		}
	}
	return false
}
