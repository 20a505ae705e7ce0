package note_test

import (
	"fmt"
	"math"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/note"
)

// lineCase is a line with the answers that are right for it (testdata/lines/README.md).
type lineCase struct {
	area note.Area
	odd  bool
	line string
	want [][]string
}

func lineCases(t *testing.T, name string) (out []lineCase) {
	b, err := os.ReadFile("testdata/lines/" + name)
	require.NoError(t, err)
	for _, l := range strings.Split(strings.TrimSpace(string(b)), "\n") {
		p := strings.Split(l, " | ")
		require.Len(t, p, 3, l)
		c := lineCase{area: note.Review, odd: strings.HasSuffix(p[0], "*"), line: p[1]}
		if p[0][0] == 'E' {
			c.area = note.Examination
		}
		for _, alt := range strings.Split(p[2], "||") {
			c.want = append(c.want, answerTokens(alt))
		}
		out = append(out, c)
	}
	return out
}

// answerTokens parts "+wheeze(right,of the leg) ?" at the spaces outside brackets.
func answerTokens(s string) (out []string) {
	depth, start := 0, -1
	for i, r := range s + " " {
		switch {
		case r == ' ' && depth == 0:
			if start >= 0 {
				out = append(out, s[start:i])
			}
			start = -1
			continue
		case r == '(':
			depth++
		case r == ')':
			depth--
		}
		if start < 0 {
			start = i
		}
	}
	return out
}

// said writes what was read in the notation of the answers.
func said(a note.Area, c note.Change) string {
	if len(c.Rest) > 0 {
		return "."
	}
	name := c.System + "." + c.Finding
	if a == note.Review {
		name = c.Finding
	}
	var in []string
	for _, q := range append([]string{c.Remark, c.Severity, c.Side, strings.ReplaceAll(c.Duration, " ", "")}, c.Words...) {
		if q != "" {
			in = append(in, q)
		}
	}
	slices.Sort(in)
	with := ""
	if len(in) > 0 {
		with = "(" + strings.Join(in, ",") + ")"
	}
	switch {
	case c.State == note.Normal && c.Finding == "":
		return "=" + c.System
	case c.State == note.Normal:
		return "~" + name
	case c.State == note.Present:
		return "+" + name + with
	case c.State == note.Absent:
		return "-" + name + with
	}
	return "!" + name
}

// covers says whether a reading says all that the answer says; where, when and with what may stand there
// besides, since they are kept as they were typed.
func covers(got, want string) bool {
	g, gin, _ := strings.Cut(strings.TrimSuffix(got, ")"), "(")
	w, win, _ := strings.Cut(strings.TrimSuffix(want, ")"), "(")
	if g != w {
		return false
	}
	for _, q := range strings.Split(win, ",") {
		if q != "" && !slices.ContainsFunc(strings.Split(gin, ","), func(x string) bool { return strings.TrimSpace(x) == q }) {
			return false
		}
	}
	return true
}

// judge says whether a reading enters something the line does not say, and whether it is all of it.
func (c lineCase) judge(s *note.Systems) (wrong []string, full bool, got []string, asked []note.Unread) {
	cs, un := s.ReadLine(c.area, c.line, []string{"constitutional"})
	for _, x := range cs {
		got = append(got, said(c.area, x))
	}
	for _, g := range got {
		sign, _, _ := strings.Cut(g, "(")
		right := false
		for _, alt := range c.want {
			for _, w := range alt {
				ws, in, _ := strings.Cut(w, "(")
				sideOff := (strings.Contains(g, "left") && strings.Contains(in, "right") || strings.Contains(g, "right") && strings.Contains(in, "left")) &&
					!covers(g, w)
				right = right || ws == sign && !sideOff
			}
		}
		if !right {
			wrong = append(wrong, g)
		}
	}
	slices.Sort(got)
	got = slices.Compact(got)
	for _, alt := range c.want {
		all := len(un) == 0 && len(alt) == len(got)
		for _, w := range alt {
			all = all && slices.ContainsFunc(got, func(g string) bool { return covers(g, w) })
		}
		full = full || all
	}
	return wrong, full, got, un
}

// readable says whether some right answer leaves nothing over.
func (c lineCase) readable() bool {
	return !c.odd && slices.ContainsFunc(c.want, func(alt []string) bool { return !slices.Contains(alt, "?") })
}

// plain says whether a question would be no right answer at all.
func (c lineCase) plain() bool {
	return !c.odd && !slices.ContainsFunc(c.want, func(alt []string) bool { return slices.Contains(alt, "?") })
}

// wilson is the interval of a share, 95 %.
func wilson(k, n int) (float64, float64) {
	p, z := float64(k)/float64(n), 1.96
	d := 1 + z*z/float64(n)
	m := (p + z*z/(2*float64(n))) / d
	h := z * math.Sqrt(p*(1-p)/float64(n)+z*z/(4*float64(n)*float64(n))) / d
	return m - h, m + h
}

// TestLinesOfPeopleWhoNeverSawTheReader holds the line to what a person would have understood: no finding
// is entered that the line does not say, and ordinary lines are read to their end.
func TestLinesOfPeopleWhoNeverSawTheReader(t *testing.T) {
	s := systems(t)
	for _, name := range []string{"known.txt", "unseen.txt", "later.txt", "last.txt", "fresh.txt", "fifth.txt", "sixth.txt", "seventh.txt", "eighth.txt", "ninth.txt"} {
		full, readable, lines, off, plain, asked := 0, 0, 0, 0, 0, 0
		for _, c := range lineCases(t, name) {
			lines++
			wrong, all, got, un := c.judge(s)
			if len(wrong) > 0 {
				off++
				t.Errorf("%s: %q enters %v, right is %v", name, c.line, wrong, c.want)
			}
			if c.plain() {
				plain++
				if !all {
					asked++
				}
			}
			if c.readable() {
				readable++
				if all {
					full++
				} else {
					t.Logf("%s: %q read %v, asked %v, right %v", name, c.line, got, un, c.want)
				}
			}
		}
		lo, hi := wilson(full, readable)
		plo, phi := wilson(plain-asked, plain)
		fmt.Printf("%s: %d lines, %d with a wrong sign; %d of %d ordinary ones read whole, %.2f (%.2f to %.2f); of those where a question is no "+
			"right answer %d of %d, %.2f (%.2f to %.2f)\n", name, lines, off, full, readable, float64(full)/float64(readable), lo, hi, plain-asked, plain,
			float64(plain-asked)/float64(plain), plo, phi)
		aim := map[string]float64{"last.txt": 0.8, "fresh.txt": 0.55, "fifth.txt": 0.65, "sixth.txt": 0.55, "seventh.txt": 0.7, "eighth.txt": 0.6, "ninth.txt": 0.5} // the last has many that a person would ask about, too
		if aim[name] == 0 {
			aim[name] = 0.85
		}
		require.GreaterOrEqual(t, float64(full), aim[name]*float64(readable), name)
		require.GreaterOrEqual(t, float64(plain-asked), 0.9*float64(plain), name)
	}
}
