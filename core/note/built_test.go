package note_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/note"
)

// words as people type them, with the finding each of them names. None of them is part of another.
var typed = map[note.Area][][2]string{
	note.Review: {{"fever", "constitutional/fever"}, {"chills", "constitutional/chills"}, {"night sweats", "constitutional/night-sweats"}, {"cough", "respiratory/cough"},
		{"sob", "respiratory/shortness-of-breath"}, {"chest pain", "cardiovascular/chest-pain"}, {"palpitations", "cardiovascular/palpitations"},
		{"nausea", "gastrointestinal/nausea"}, {"vomiting", "gastrointestinal/vomiting"}, {"diarrhea", "gastrointestinal/diarrhea"}, {"rash", "skin/rash"},
		{"headache", "neurologic/headache"}, {"dizziness", "neurologic/dizziness"}, {"sore throat", "ent/sore-throat"}, {"back pain", "musculoskeletal/back-pain"},
		{"hematuria", "genitourinary/blood-in-urine"}, {"fatigue", "constitutional/fatigue"}, {"heartburn", "gastrointestinal/heartburn"}},
	note.Examination: {{"murmur", "heart/murmur"}, {"gallop", "heart/gallop"}, {"wheeze", "lungs/wheeze"}, {"crackles", "lungs/crackles"}, {"edema", "heart/edema"},
		{"rebound", "abdomen/rebound"}, {"guarding", "abdomen/guarding"}, {"jvd", "heart/jvd"}, {"goiter", "neck/goiter"}, {"clubbing", "vessels/clubbing"},
		{"tremor", "neuro/tremor"}, {"rash", "skin/rash"}, {"stridor", "lungs/stridor"}, {"rub", "heart/rub"}},
}

// ways in which somebody says that something is, or is not, there; %s is what it is said of.
var (
	ways    = map[bool][]string{true: {"has %s", "+%s", "(+) %s", "+ %s", "%s (+)", "%s(+)", "%s: yes", "%s yes", "reports %s", "endorses %s", "positive for %s", "pos for %s", "%s+"}, false: {"no %s", "denies %s", "-%s", "(-) %s", "%s (-)", "%s(-)", "%s: no", "without %s", "w/o %s", "neg for %s", "negative for %s", "%s: none", "%s absent", "%s-", "denied %s", "no evidence of %s"}}
	parting = []string{". ", "; ", ".\n", ", but "}
	lists   = []string{"no %s, %s, %s", "no %s, %s or %s", "denies %s, %s, and %s", "no %s/%s/%s", "no %s or %s, no %s", "neg for %s, %s, %s", "w/o %s, %s, %s", "denies any %s, %s, %s"}
)

// TestBuiltLinesNeverTurn builds lines of which every sign is known, in the ways people write them, and holds the
// reader to it: whatever it does with a line, it never enters the other sign, nor anything that was not named.
func TestBuiltLinesNeverTurn(t *testing.T) {
	s := systems(t)
	r := rand.New(rand.NewPCG(7, 11))
	lines, items, read, turned := 0, 0, 0, 0
	for range 1200 {
		area := note.Review
		if r.IntN(3) == 0 {
			area = note.Examination
		}
		order := r.Perm(len(typed[area]))
		truth := map[string]note.State{}
		var said []string
		for len(order) > 3 && len(said) < 1+r.IntN(4) {
			if r.IntN(4) == 0 {
				way, three := lists[r.IntN(len(lists))], []any{}
				for _, k := range order[:3] {
					three = append(three, typed[area][k][0])
					truth[typed[area][k][1]] = note.Absent
				}
				order = order[3:]
				if strings.Contains(way, "/%s") && strings.Contains(fmt.Sprint(three...), " ") {
					way = lists[0] // a stroke joins single words
				}
				said = append(said, fmt.Sprintf(way, three...))
				continue
			}
			there := r.IntN(2) == 0
			x := typed[area][order[0]]
			order = order[1:]
			truth[x[1]] = map[bool]note.State{true: note.Present, false: note.Absent}[there]
			said = append(said, fmt.Sprintf(ways[there][r.IntN(len(ways[there]))], x[0]))
		}
		line := said[0]
		for _, x := range said[1:] {
			line += parting[r.IntN(len(parting))] + x
		}
		lines++
		items += len(truth)
		cs, _ := s.ReadLine(area, line, nil)
		for _, c := range cs {
			key := c.System + "/" + c.Finding
			if key == "heart/sounds" && truth["heart/murmur"] == note.Absent && truth["heart/gallop"] == note.Absent {
				continue // "no murmur or gallop" are the words by which the aspect reads normal
			}
			want, named := truth[key]
			if !named || want != c.State {
				turned++
				if turned < 20 {
					t.Errorf("%q enters %s %s", line, key, c.State)
				}
				continue
			}
			read++
		}
	}
	fmt.Printf("built lines: %d with %d findings, %d read, %d turned\n", lines, items, read, turned)
	require.Zero(t, turned)
	require.Greater(t, float64(read), 0.9*float64(items), "and most of it is read")
}
