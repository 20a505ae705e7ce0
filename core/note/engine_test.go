package note_test

import (
	"io/fs"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/note"
	"deftledger/data"
	"deftledger/exchange/forms"
)

func file(t testing.TB, name string) string {
	t.Helper()
	b, err := fs.ReadFile(data.Forms, name)
	require.NoError(t, err)
	return string(b)
}

func systems(t testing.TB) *note.Systems {
	t.Helper()
	s, err := forms.Systems("systems.yaml", file(t, "findings/systems.yaml"))
	require.NoError(t, err)
	return s
}

func interview(t testing.TB, s *note.Systems, id string) *note.Interview {
	t.Helper()
	v, err := forms.Interview(id, 1, file(t, "interviews/"+id+".json"), file(t, "interviews/"+id+".prose.yaml"), s)
	require.NoError(t, err)
	return v
}

func yes(b bool) []note.Answer { return []note.Answer{{Yes: &b}} }
func code(cs ...string) (out []note.Answer) {
	for _, c := range cs {
		out = append(out, note.Answer{Code: c})
	}
	return out
}
func free(s string) []note.Answer   { return []note.Answer{{Text: s}} }
func days(n string) []note.Answer   { return []note.Answer{{Number: n, Unit: "d"}} }
func number(n string) []note.Answer { return []note.Answer{{Number: n}} }
func answers(pairs ...any) (out []note.Answered) {
	for i := 0; i < len(pairs); i += 2 {
		out = append(out, note.Answered{Link: pairs[i].(string), Values: pairs[i+1].([]note.Answer), Origin: note.Chosen})
	}
	return out
}

func text(ps []note.Piece) string {
	var out []string
	for _, p := range ps {
		out = append(out, p.Text)
	}
	return strings.Join(out, " ")
}

func line(t testing.TB, s *note.Systems, before []note.Finding, a note.Area, l string, rest ...string) []note.Finding {
	t.Helper()
	cs, un := s.ReadLine(a, l, rest)
	require.Empty(t, un, l)
	out, err := s.Apply(before, cs, note.About{Sex: "F"})
	require.NoError(t, err)
	return out
}

func compose(s *note.Systems, fs []note.Finding) string {
	var out []string
	for _, sec := range note.Read(s.Compose(note.Draft{Findings: fs}), nil) {
		out = append(out, sec.Text)
	}
	return strings.Join(out, "\n")
}

func TestEveryInterviewShipsWhole(t *testing.T) {
	s := systems(t)
	list, err := fs.Glob(data.Forms, "interviews/*.json")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(list), 14)
	for _, f := range list {
		id := strings.TrimSuffix(strings.TrimPrefix(f, "interviews/"), ".json")
		v := interview(t, s, id)
		require.NotEmpty(t, v.Prose.Examination, id)
		require.NotEmpty(t, v.Prose.Review, id)
		require.NotEmpty(t, v.Prose.Plan, id)
		pieces, _ := v.Write(s, nil, nil, "A person", note.Of{Months: -1})
		require.Empty(t, pieces, "%s says nothing before it is answered", id)
	}
	require.GreaterOrEqual(t, len(s.Review), 12)
	require.GreaterOrEqual(t, len(s.Examination), 12)
}

// The wanted texts are written by hand, as a physician would.
func TestTheProseReadsLikeAPhysicians(t *testing.T) {
	s := systems(t)
	for _, c := range []struct {
		id      string
		answers []note.Answered
		review  string
		want    string
	}{
		{"back-pain", answers("duration", days("2"), "onset", code("sudden"), "trigger", code("lifting"), "place", code("left"), "severity",
			code("moderate"), "radiates", yes(true), "leg", code("left"), "below", yes(false), "worse", code("bending", "sitting"), "bladder",
			yes(false), "saddle", yes(false), "work", code("unable")), "fever . skip weight loss",
			"A 46-year-old man with moderate left low back pain for two days, which began suddenly after lifting. The pain spreads into the left leg, not below the knee. It is worse with bending and sitting. Reports fever. Denies recent injury, weakness and numbness. No loss of bladder or bowel control. No numbness between the legs. Not able to work."},
		{"back-pain", answers("radiates", yes(false), "trigger", free("carrying a sofa")), "",
			"A 46-year-old man with back pain after carrying a sofa. The pain does not spread into the legs."},
		{"back-pain", answers("leg", code("left"), "work", code("able")), "",
			"A 46-year-old man with back pain. Working as usual."}, // the leg no longer applies
		{"dizziness", answers("kind", code("unsteady"), "falls", number("1"), "injured", yes(false), "aid", code("cane")), "",
			"A 46-year-old man with unsteadiness. One fall in the last year, without injury. Uses a cane."},
		{"joint-pain", answers("joint", code("toe"), "side", code("right"), "duration", days("1"), "attacks", number("3"), "weight",
			yes(false)), "",
			"A 46-year-old man with right big toe pain for one day. Cannot bear weight. Three attacks of this kind this year."},
		{"asthma", answers("night", number("0"), "steroid", number("12"), "trigger", code("cold", "pollen", "work")), "",
			"A 46-year-old man, here for asthma. Woken by asthma on no nights in the last month. 12 courses of oral steroid in the last year. Triggers: colds, pollen and exposure at work."},
		{"burning-urination", answers("pregnant", code("na"), "duration", days("3")), "burn",
			"A 46-year-old man with burning on urination for three days."},
		{"fatigue", answers("sleep", number("6"), "rested", yes(false)), "",
			"A 46-year-old man with fatigue. Sleeps six hours and does not wake rested."},
	} {
		v := interview(t, s, c.id)
		var found []note.Finding
		if c.review != "" {
			found = line(t, s, nil, note.Review, c.review, "constitutional", "neurologic", "musculoskeletal")
		}
		pieces, _ := v.Write(s, c.answers, found, "A 46-year-old man", note.Of{Months: -1})
		require.Equal(t, c.want, text(pieces), c.id)
	}
}

func TestAnInterviewAsksWhatDependsOnTheAnswers(t *testing.T) {
	v := interview(t, systems(t), "low-mood")
	asked := func(as []note.Answered) (out []string) {
		for _, q := range v.Asks(as, note.Of{Months: -1}) {
			out = append(out, q.LinkID)
		}
		return out
	}
	require.NotContains(t, asked(nil), "plan")
	require.Contains(t, asked(answers("harm", yes(true))), "plan")
	require.NotContains(t, asked(answers("harm", yes(false), "plan", yes(true))), "plan")
	require.NoError(t, v.Check("which", code("mood", "sleep")))
	require.NoError(t, v.Check("cause", free("the ferry strike")))
	require.ErrorContains(t, v.Check("support", code("mood")), "does not fit")
	require.ErrorContains(t, v.Check("support", append(yes(true), yes(false)...)), "one answer")
	require.ErrorContains(t, v.Check("cause", code("work", "nothing")), "stands alone")
	require.ErrorContains(t, v.Check("nothing", yes(true)), "not asked")
	require.ErrorContains(t, v.Check("duration", []note.Answer{{Number: "2", Unit: "parsec"}}), "does not fit")
}

func TestReadingALine(t *testing.T) {
	s := systems(t)
	for _, c := range []struct {
		area note.Area
		line string
		rest []string
		want string
	}{
		{note.Review, "fever, . skip chills", []string{"constitutional"},
			"Review of systems\nConstitutional: Reports fever. Denies night sweats, unintended weight loss, weight gain and fatigue."},
		{note.Review, "cough dry 2w, fever . skip chills, skip rash", []string{"constitutional", "skin"},
			"Review of systems\nConstitutional: Reports fever. Denies night sweats, unintended weight loss, weight gain and fatigue.\nRespiratory: Reports dry cough for two weeks.\nSkin: Denies itching, changing moles and sores that do not heal."},
		{note.Review, "ear pain left severe, no sore throat", nil,
			"Review of systems\nEars, nose, mouth and throat: Reports severe left ear pain. Denies sore throat."},
		{note.Examination, "general, heart, lungs: wheeze right mod exp, crackles bases, abdomen, \"no scars\"", nil,
			"Examination\nGeneral: Well appearing, in no distress.\nHeart: Regular rate and rhythm, no murmur or gallop, no peripheral edema.\nLungs: Moderate expiratory wheeze on the right. Crackles at the bases.\nAbdomen: Soft, not tender, no mass or organ enlargement. No scars."},
		{note.Examination, "lungs, wheeze right", nil, "Examination\nLungs: Wheeze on the right. Breathing unlabored."},
		{note.Examination, "knee: effusion left, laxity left anterior", nil,
			"Examination\nKnee: Effusion on the left. Laxity of the anterior cruciate ligament on the left."},
		{note.Examination, "knee, effusion left, skin rash trunk vesicular", nil,
			"Examination\nKnee: Effusion on the left. No joint-line tenderness, full range of motion, ligaments stable.\nSkin: Vesicular rash on the trunk."},
		{note.Examination, "heart: no murmur, no rub", nil, "Examination\nHeart: No murmur or rub."},
		// What a denial reaches: the sign of a finding must never turn by a comma.
		{note.Review, "denies fever, chills, night sweats", nil, "Review of systems\nConstitutional: Denies fever, chills and night sweats."},
		{note.Review, "no fever, chills or night sweats", nil, "Review of systems\nConstitutional: Denies fever, chills and night sweats."},
		{note.Review, "no fever or chills, cough 2w", nil, "unread"},
		{note.Review, "no fever or chills, +cough 2w", nil,
			"Review of systems\nConstitutional: Denies fever and chills.\nRespiratory: Reports cough for two weeks."},
		{note.Review, "No fever, nor chills", nil, "Review of systems\nConstitutional: Denies fever and chills."},
		{note.Review, "denies fever, +chills", nil, "Review of systems\nConstitutional: Reports chills. Denies fever."},
		{note.Review, "denies fever, reports chills, itching", nil,
			"Review of systems\nConstitutional: Reports chills. Denies fever.\nSkin: Reports itching."},
		{note.Review, "no fever, has chills", nil, "Review of systems\nConstitutional: Reports chills. Denies fever."},
		{note.Review, "chills, no fever", nil, "Review of systems\nConstitutional: Reports chills. Denies fever."},
		{note.Review, "no fever, chills", nil, "Review of systems\nConstitutional: Denies fever and chills."},
		{note.Review, "no fever, chills 2d", nil, "unread"}, // could mean either
		{note.Review, "chills?", nil, "unread"},
		{note.Review, "fever or chills", nil, "unread"},
		{note.Examination, "no murmur, rub", nil, "Examination\nHeart: No murmur or rub."},
		{note.Examination, "no murmur or rub, lungs", nil,
			"Examination\nHeart: No murmur or rub.\nLungs: Breathing unlabored, clear throughout."},
		{note.Examination, "no murmur, wheeze right", nil, "unread"},
		{note.Examination, "no murmur, +wheeze right", nil, "Examination\nHeart: No murmur.\nLungs: Wheeze on the right."},
		{note.Examination, "right knee: no effusion", nil, "Examination\nKnee: No effusion on the right."},
		{note.Examination, "wheeze left, wheeze right", nil, "Examination\nLungs: Wheeze on both sides."},
		{note.Examination, "no wheeze left, +wheeze right", nil, "Examination\nLungs: Wheeze on the right (not on the left)."},
		{note.Examination, "wheeze left mild, wheeze right severe", nil, "Examination\nLungs: Wheeze on both sides (left mild; right severe)."},
		{note.Examination, "r knee effusion", nil, "Examination\nKnee: Effusion on the right."},
		{note.Examination, "tenderness", nil, "unread"},
		{note.Examination, "flurb", nil, "unread"},
		{note.Examination, "wheeze purple", nil, "unread"},
		{note.Examination, "\"words\"", nil, "unread"},
	} {
		cs, un := s.ReadLine(c.area, c.line, c.rest)
		if c.want == "unread" {
			require.NotEmpty(t, un, c.line)
			continue
		}
		require.Empty(t, un, c.line)
		fs, err := s.Apply(nil, cs, note.About{Sex: "F"})
		require.NoError(t, err)
		require.Equal(t, c.want, compose(s, fs), c.line)
	}
	_, un := s.ReadLine(note.Examination, "tenderness", nil)
	require.Greater(t, len(un[0].Could), 1, "what could mean two things says which")
	cs, un := s.ReadLine(note.Review, "no fever, chills, rash or itching, no cough, sore throat 2d", nil)
	require.Len(t, cs, 5, "the list is denied")
	require.Equal(t, []string{"no sore throat 2d", "has sore throat 2d"}, un[0].Could)
}

func TestDenialsRespectWhoTheyAreAbout(t *testing.T) {
	s := systems(t)
	fs, err := s.Apply(nil, []note.Change{{Area: note.Review, Rest: []string{"genitourinary"}}}, note.About{Sex: "M"})
	require.NoError(t, err)
	require.NotContains(t, compose(s, fs), "vaginal")
	require.Contains(t, compose(s, fs), "weak urinary stream")
	mood, err := s.Apply(nil, []note.Change{{Area: note.Review, Rest: []string{"psychiatric", "respiratory"}}},
		note.About{Complaint: []string{"respiratory.cough"}})
	require.NoError(t, err)
	require.NotContains(t, compose(s, mood), "self-harm", "that is asked by itself")
	require.NotContains(t, compose(s, mood), "cough,", "what the visit is about is not denied with the rest")
	for _, f := range fs {
		require.Equal(t, note.ByRest, f.Origin, "the author attests that it was asked")
	}
}

func TestFindingsRefuseWhatDoesNotFit(t *testing.T) {
	s := systems(t)
	for _, c := range []note.Change{
		{Area: note.Review, System: "skin", Finding: "rash", State: note.Present, Side: "left"},
		{Area: note.Review, System: "skin", Finding: "rash", State: note.Present, Severity: "horrible"},
		{Area: note.Review, System: "skin", Finding: "rash", State: note.Present, Duration: "ages"},
		{Area: note.Review, System: "skin", Finding: "rash", State: note.Normal},
		{Area: note.Review, System: "skin", Finding: "wings", State: note.Present},
		{Area: note.Review, System: "tail", State: note.Normal},
		{Area: note.Examination, System: "lungs", Finding: "sounds", State: note.Present},
		{Area: note.Examination, System: "lungs", Finding: "wheeze", State: note.Present, Words: []string{"purple"}},
		{Area: "plan", System: "lungs", Finding: "wheeze", State: note.Present},
	} {
		_, err := s.Apply(nil, []note.Change{c}, note.About{Sex: "F"})
		require.Error(t, err, "%+v", c)
	}
}

// someChanges draws acts on different findings.
func someChanges(t *rapid.T, s *note.Systems) []note.Change {
	type what struct {
		a      note.Area
		system string
		item   note.Item
	}
	var all []what
	for _, a := range []note.Area{note.Review, note.Examination} {
		for _, x := range s.Of(a) {
			items := x.Symptoms
			for _, asp := range x.Aspects {
				items = append(items, asp.Findings...)
			}
			for _, i := range items {
				all = append(all, what{a, x.ID, i})
			}
			all = append(all, what{a, x.ID, note.Item{ID: "normal"}}, what{a, x.ID, note.Item{ID: "remark"}})
		}
		all = append(all, what{a, "", note.Item{ID: "rest"}})
	}
	var out []note.Change
	for _, n := range rapid.SliceOfNDistinct(rapid.IntRange(0, len(all)-1), 0, 25, rapid.ID[int]).Draw(t, "acts") {
		w := all[n]
		c := note.Change{Area: w.a, System: w.system, Finding: w.item.ID}
		switch w.item.ID {
		case "normal":
			c.Finding, c.State = "", note.Normal
		case "remark":
			c.Finding, c.State, c.Remark = "", note.Remark, "word"
		case "rest":
			c = note.Change{Area: w.a, Rest: []string{s.Of(w.a)[0].ID, s.Of(w.a)[3].ID}}
		default:
			c.State = rapid.SampledFrom([]note.State{note.Present, note.Absent, note.LeftOut}).Draw(t, "state")
			if c.State == note.Present {
				c.Severity = rapid.SampledFrom([]string{"", "mild", "severe"}).Draw(t, "severity")
				if w.item.Sided != "" {
					c.Side = rapid.SampledFrom([]string{"", "left", "both"}).Draw(t, "side")
				}
			}
		}
		out = append(out, c)
	}
	return out
}

// Property: acts on different things give the same text in any order.
func TestOrderOfActsDoesNotMatter(t *testing.T) {
	s := systems(t)
	rapid.Check(t, func(t *rapid.T) {
		cs := someChanges(t, s)
		one, err := s.Apply(nil, cs, note.About{Sex: "F"})
		require.NoError(t, err)
		other, err := s.Apply(nil, rapid.Permutation(cs).Draw(t, "other order"), note.About{Sex: "F"})
		require.NoError(t, err)
		// Who attested a denial one by one or with the rest may differ; the text may not.
		require.Equal(t, compose(s, one), compose(s, other))
	})
}

// Property: no empty headings, doubled spaces or doubled findings, whatever was done.
func TestNothingReadsBroken(t *testing.T) {
	s := systems(t)
	rapid.Check(t, func(t *rapid.T) {
		fs, err := s.Apply(nil, someChanges(t, s), note.About{Sex: "F"})
		require.NoError(t, err)
		seen := map[string]bool{}
		for _, b := range s.Compose(note.Draft{Findings: fs}) {
			require.NotEmpty(t, b.Pieces)
			for _, p := range b.Pieces {
				require.NotContains(t, p.Text, "  ")
				require.NotContains(t, p.Text, " ,")
				require.NotContains(t, p.Text, "..")
				require.Regexp(t, `^\p{Lu}.*\.$`, p.Text)
				require.NotRegexp(t, `\b(and|or|no|with) (and|or|no|with)\b`, p.Text)
				for _, ref := range strings.Fields(p.Ref) {
					require.False(t, seen[ref], "%s stands twice", ref)
					seen[ref] = true
				}
			}
		}
		for _, sec := range note.Read(s.Compose(note.Draft{Findings: fs}), nil) {
			require.NotRegexp(t, `(?m):\s*$|\n\n\n|^\s|\s$`, sec.Text)
		}
	})
}

// Property: bringing forward twice is bringing forward once, and adding loses nothing.
func TestBringForwardTwiceIsOnce(t *testing.T) {
	s := systems(t)
	rapid.Check(t, func(t *rapid.T) {
		earlier, err := s.Apply(nil, someChanges(t, s), note.About{Sex: "F"})
		require.NoError(t, err)
		now, err := s.Apply(nil, someChanges(t, s), note.About{Sex: "F"})
		require.NoError(t, err)
		from := note.Source{Note: "n1", Findings: earlier,
			Typed: map[note.Part]string{note.Objective: "Gait slow. Weight 62.8 kg, was 63.0 kg. Gait slow."}}
		d := note.Draft{Findings: now, Typed: map[note.Part]string{note.Objective: "Gait slow."}}
		w := note.Wanted{Part: note.Objective, Replace: rapid.Bool().Draw(t, "replace")}
		if rapid.Bool().Draw(t, "one system") {
			w.Part, w.Area, w.System = "", note.Examination, "lungs"
		}
		once := take(d, s.Forward(d, from, w))
		twice := take(once, s.Forward(once, from, w))
		require.Equal(t, s.Compose(once), s.Compose(twice))
		if !w.Replace {
			before := map[string]note.Finding{}
			for _, f := range now {
				before[f.Key()] = f
			}
			for _, f := range once.Findings {
				if had, ok := before[f.Key()]; ok {
					require.Equal(t, had, f)
				}
			}
			require.Equal(t, d.Typed, once.Typed)
		}
	})
}

// take makes an outcome the draft, as the application does.
func take(d note.Draft, o note.Outcome) note.Draft {
	out := note.Draft{Findings: o.Findings, Typed: map[note.Part]string{}}
	for p, t := range d.Typed {
		if !o.ClearTyped {
			out.Typed[p] = t
		}
	}
	for _, b := range d.Brought {
		gone := false
		for _, id := range o.Dropped {
			gone = gone || id == b.ID
		}
		if !gone {
			out.Brought = append(out.Brought, b)
		}
	}
	for _, b := range o.Added {
		b.ID = b.Text
		out.Brought = append(out.Brought, b)
	}
	return out
}

func TestBringForwardSaysWhatItChanges(t *testing.T) {
	s := systems(t)
	earlier := line(t, s, nil, note.Examination, "lungs: wheeze right")
	now := line(t, s, nil, note.Examination, "lungs: crackles bases")
	from := note.Source{Note: "n1", Findings: earlier,
		Typed: map[note.Part]string{note.Plan: "Colchicine 0.6 mg daily. Dr. Pell agrees. Back in 2 weeks."}}
	d := note.Draft{Findings: now, Typed: map[note.Part]string{note.Plan: "Rest.\nBack in 2 weeks"}}
	o := s.Forward(d, from, note.Wanted{Part: note.Plan})
	require.Equal(t, note.Difference{Add: []string{"Colchicine 0.6 mg daily.", "Dr. Pell agrees."}, Remove: []string{},
		Already: []string{"Back in 2 weeks."}}, o.Difference)
	require.False(t, o.ClearTyped)
	o = s.Forward(d, from, note.Wanted{Part: note.Plan, Replace: true})
	require.Equal(t, []string{"Rest."}, o.Difference.Remove)
	require.Equal(t, "Rest.\nBack in 2 weeks", o.Replaced, "what is replaced is kept")
	o = s.Forward(d, from, note.Wanted{Area: note.Examination, System: "lungs"})
	require.Equal(t, "Examination\nLungs: Wheeze on the right. Crackles at the bases.", compose(s, o.Findings))
	o = s.Forward(d, from, note.Wanted{Area: note.Examination, System: "lungs", Replace: true})
	require.Equal(t, "Examination\nLungs: Wheeze on the right.", compose(s, o.Findings))
	require.False(t, o.Findings[0].Looked, "it counts as not looked at")
}

func TestTheMeasureAddsUp(t *testing.T) {
	s := systems(t)
	d := note.Draft{
		Typed:    map[note.Part]string{note.Plan: strings.Repeat("x", 50)},
		Brought:  []note.Brought{{ID: "a", Part: note.Plan, Text: strings.Repeat("y", 24) + ".", Origin: note.Carried}},
		Vitals:   []note.Vital{{Name: "Pulse", Value: "78", Unit: "/min", Origin: note.FromDev}}, // "Pulse 78/min." is 13 characters
		Findings: line(t, s, nil, note.Review, "rash"),                                           // "Reports rash." is 13
	}
	require.Equal(t, note.Share{Typed: 49, Carried: 25, Device: 13, Findings: 13}, note.Measure(s.Compose(d)),
		"49.5, 24.8, 12.9 and 12.9 percent of 101 characters")
	require.Equal(t, note.Share{}, note.Measure(nil))
}

func TestTheClosingList(t *testing.T) {
	s := systems(t)
	kind := note.VisitKind{Name: "Acute visit", Requires: []string{"subjective", "objective", "assessment", "plan", "diagnosis"}}
	says := func(d note.Draft, diagnoses int) (out []string) {
		for _, p := range s.Close(d, diagnoses, kind) {
			out = append(out, p.Says)
		}
		return out
	}
	require.Equal(t, []string{"Nothing is written under subjective", "Nothing is written under objective",
		"Nothing is written under assessment", "Nothing is written under plan", "No diagnosis is coded"}, says(note.Draft{}, 0))
	full := func() note.Draft {
		return note.Draft{Typed: map[note.Part]string{note.Subjective: "s", note.Objective: "o", note.Plan: "p"}}
	}
	require.Empty(t, says(full(), 1))

	for _, c := range []struct {
		area       note.Area
		line, text string
		want       bool
	}{
		{note.Examination, "lungs: wheeze", "Lungs clear.", true},
		{note.Examination, "lungs: wheeze", "Heart and lungs normal.", true},
		{note.Examination, "lungs: wheeze", "Heart normal.", false},
		{note.Examination, "lungs: wheeze", "Lungs not clear.", false},
		{note.Examination, "lungs", "Expiratory wheeze on both sides.", true},
		{note.Examination, "lungs", "No wheeze.", false},
		{note.Examination, "lungs, \"soft wheeze at the left base\"", "", true},
		{note.Examination, "knee", "Abdominal tenderness.", false},
		{note.Examination, "heart: no murmur", "Systolic murmur at the apex.", true},
		{note.Review, "no fever", "Fever for two days.", true},
		{note.Review, "no fever", "Denies fever and chills.", false},
		{note.Review, "no fever", "Sister has fever.", false},
		{note.Review, "cough", "No cough, but tired.", true},
		{note.Review, "cough", "Cough for two days.", false},
		{note.Review, "no rash", "Feverish rashness.", false},
	} {
		d := full()
		d.Findings = line(t, s, nil, c.area, c.line)
		part := note.Subjective
		if c.area == note.Examination {
			part = note.Objective
		}
		if c.text != "" {
			d.Typed[part] = c.text
		}
		require.Equal(t, c.want, len(says(d, 1)) > 0, "%s against %q: %v", c.line, c.text, says(d, 1))
	}
	d := full()
	d.Vitals = []note.Vital{{Name: "Temperature", Value: "38.6", Unit: "°C"}}
	d.Typed[note.Objective] = "Afebrile."
	require.Len(t, says(d, 1), 1)

	d = full()
	d.Brought = []note.Brought{{ID: "1", Part: note.Plan, Text: "Colchicine daily.", Origin: note.Carried},
		{ID: "2", Part: note.Subjective, Text: "Walks daily.", Origin: note.Carried},
		{ID: "3", Part: note.Plan, Text: "Kept.", Origin: note.Carried, Looked: true}}
	points := s.Close(d, 1, kind)
	require.Len(t, points, 2)
	require.True(t, points[0].Stops && points[0].Part == note.Plan, "what was carried into the plan is looked at first")
	require.False(t, points[1].Stops)
}

func TestSentences(t *testing.T) {
	for in, want := range map[string][]string{
		"Colchicine 1.2 mg, then 0.6 mg. Rest.":    {"Colchicine 1.2 mg, then 0.6 mg.", "Rest."},
		"Seen by Dr. Pell. Back in 2 wk. if worse": {"Seen by Dr. Pell.", "Back in 2 wk. if worse"},
		"One\nTwo.  Three?":                        {"One", "Two.", "Three?"},
		"":                                         nil,
		" . ":                                      {"."},
	} {
		require.Equal(t, want, note.Sentences(in), in)
	}
	require.Equal(t, "An 8-year-old girl", note.Person(8, 3, "F"))
	require.Equal(t, "A 14-month-old boy", note.Person(1, 2, "M"))
	require.Equal(t, "An 83-year-old person", note.Person(83, 0, "U"))
	require.Equal(t, "An 18-year-old woman", note.Person(18, 0, "F"))
	require.Equal(t, "one week", note.Duration("1 wk"))
	require.Equal(t, "36 hours", note.Duration("36 h"))
}

func FuzzReadLine(f *testing.F) {
	f.Add("cough, fever 2d . -chills \"x\" <lungs")
	f.Add("\"\",,;.-<: . .")
	s := systems(f)
	f.Fuzz(func(t *testing.T, l string) {
		for _, a := range []note.Area{note.Review, note.Examination} {
			cs, _ := s.ReadLine(a, l, []string{"skin"})
			for _, c := range cs {
				if !c.Bring {
					_, err := s.Apply(nil, []note.Change{c}, note.About{Sex: "F"})
					require.NoError(t, err, "%q gave %+v", l, c)
				}
			}
		}
	})
}

// TestAnInterviewKnowsWhomItAsks: no man is asked his last period, no child about pregnancy; who is not known is asked
// everything. Counts of nothing read like a person, and self-harm never leads to a routine return.
func TestAnInterviewKnowsWhomItAsks(t *testing.T) {
	s := systems(t)
	asks := func(id, link string, of note.Of) bool {
		for _, q := range interview(t, s, id).Asks(nil, of) {
			if q.LinkID == link {
				return true
			}
		}
		return false
	}
	for _, c := range []struct {
		id, link string
		of       note.Of
		want     bool
	}{
		{"abdominal-pain", "period", note.Of{Sex: "M", Months: 40 * 12}, false}, {"abdominal-pain", "period", note.Of{Sex: "F", Months: 30 * 12}, true},
		{"abdominal-pain", "period", note.Of{Sex: "F", Months: 8 * 12}, false}, {"abdominal-pain", "period", note.Of{Sex: "F", Months: 70 * 12}, false},
		{"abdominal-pain", "period", note.Of{Sex: "U", Months: 30 * 12}, true}, {"abdominal-pain", "period", note.Of{Sex: "F", Months: -1}, true},
		{"burning-urination", "pregnant", note.Of{Sex: "M", Months: 40 * 12}, false},
		{"burning-urination", "genitourinary.vaginal-discharge", note.Of{Sex: "M", Months: 40 * 12}, false},
		{"fatigue", "periods", note.Of{Sex: "M", Months: 40 * 12}, false},
	} {
		require.Equal(t, c.want, asks(c.id, c.link, c.of), "%s %s %+v", c.id, c.link, c.of)
	}
	of := note.Of{Months: -1}
	pieces, _ := interview(t, s, "shortness-of-breath").Write(s, answers("pillows", number("0")), nil, "A person", of)
	require.Contains(t, text(pieces), "Sleeps flat, without a pillow.")
	pieces, _ = interview(t, s, "diarrhea-vomiting").Write(s, answers("which", code("diarrhea", "vomiting"), "stools", number("0"), "times", number("0")), nil, "A person", of)
	require.Contains(t, text(pieces), "No stool in the last day. Does not vomit.")
	pieces, _ = interview(t, s, "diarrhea-vomiting").Write(s, answers("which", code("diarrhea"), "stools", number("4")), nil, "A person", of)
	require.Contains(t, text(pieces), "our stools a day.")
	mood := interview(t, s, "low-mood")
	require.Contains(t, mood.PlanFor(answers("harm", yes(false))), "Back in two weeks.")
	require.NotContains(t, mood.PlanFor(answers("harm", yes(true))), "Back in two weeks.")
	require.Equal(t, "Not left alone. Emergency psychiatric assessment now.", mood.PlanFor(answers("harm", yes(true), "plan", yes(true)))[0])
}

// TestAChildsVisitIsAChilds: what is asked follows the age, and the answers read of a child.
func TestAChildsVisitIsAChilds(t *testing.T) {
	s := systems(t)
	v := interview(t, s, "well-child")
	asked := func(of note.Of) (out []string) {
		for _, q := range v.Asks(nil, of) {
			out = append(out, q.LinkID)
		}
		return out
	}
	for _, x := range []struct {
		of      note.Of
		is, not string // links parted by spaces
	}{
		{note.Of{Sex: "M", Months: 4}, "feeding wet back seat smoke safe development", "eats school screen periods psychiatric.self-harm teeth"},
		{note.Of{Sex: "F", Months: 30}, "eats milk screen brush development", "feeding wet back school periods helmet"},
		{note.Of{Sex: "M", Months: 8 * 12}, "school friends play helmet teeth development", "milk periods psychiatric.low-mood wet"},
		{note.Of{Sex: "F", Months: 14 * 12}, "school periods psychiatric.low-mood psychiatric.self-harm", "development milk back"},
		{note.Of{Sex: "M", Months: 14 * 12}, "psychiatric.self-harm", "periods"},
	} {
		got := asked(x.of)
		for _, link := range strings.Fields(x.is) {
			require.Contains(t, got, link, x.of)
		}
		for _, link := range strings.Fields(x.not) {
			require.NotContains(t, got, link, x.of)
		}
	}
	of := note.Of{Sex: "M", Months: 8 * 12}
	pieces, _ := v.Write(s, answers("with", code("mother"), "concerns", free("bites his nails"), "eats", code("picky", "vegetables"), "school", code("well"),
		"friends", yes(true), "play", number("0"), "screen", number("1"), "seat", yes(false), "smoke", yes(false), "firearm", yes(true), "locked", yes(true)),
		nil, "An 8-year-old boy", of)
	require.Equal(t, "An 8-year-old boy, here for a well-child visit with the mother. Worries: bites his nails. Eating: picky eating and few vegetables. "+
		"School goes well. Has friends. No active play or sport. One hour a day at a screen. Does not always ride in the seat or belt for the age. "+
		"Nobody smokes or vapes at home. There is a firearm at home, locked away and unloaded.", text(pieces))
	sad := answers("psychiatric.self-harm", yes(true))
	require.Equal(t, "Safety assessed today, with a plan agreed before leaving.", v.PlanFor(sad)[0])
	require.NotContains(t, v.PlanFor(sad), "Back for the next well-child visit.")
	adult, child := interview(t, s, "check-up"), v
	require.Equal(t, "well-child", adult.Prose.Instead)
	require.False(t, adult.Prose.Whom.Is(note.Of{Months: 17*12 + 11}))
	require.True(t, adult.Prose.Whom.Is(note.Of{Months: 18 * 12}))
	require.True(t, child.Prose.Whom.Is(of))
	require.False(t, child.Prose.Whom.Is(note.Of{Months: 18 * 12}))
}
