package result

import (
	"regexp"
	"slices"
	"strings"
)

// Laid is an issue of a report set for the page: texts under their headings with what
// concludes first, organisms with what they are susceptible to, attached files, and the
// rows of the table. Every value stands in exactly one of them.
type Laid struct {
	First    []Section // impression, conclusion, final diagnosis, addendum, where the report marks them
	Sections []Section // the other texts, in the order they came
	Cultures []Culture
	Attached []int // values that are files
	Rows     []int // what stays in the table
}

// Section is a text under its heading, with the values it was made of. Nothing of the text
// is left out.
type Section struct {
	Heading, Text string
	Rows          []int
}

// Culture is an organism with its susceptibilities, in the order they came.
type Culture struct {
	SubID    string
	Organism string // "" where the report does not say which it is of
	Drugs    []Drug
}

// Drug is what the laboratory says of one medicine against an organism.
type Drug struct {
	Row    int
	Letter string // S, I, R, SDD, NS…; "" where there is none, or where two contradict
	Word   string
}

// susceptibilities are the letters of HL7 table 0078 for susceptibility, in words. "I" is that
// of CLSI M100; by EUCAST (since 2019) it means another thing, which is said where the method
// names EUCAST.
var susceptibilities = map[string]string{"S": "susceptible", "I": "intermediate", "R": "resistant", "SDD": "susceptible, dose-dependent",
	"NS": "not susceptible", "MS": "moderately susceptible", "VS": "very susceptible", "IE": "not enough evidence", "SYN-S": "synergy", "SYN-R": "no synergy"}

// susceptibilityWords are how a value itself says so.
var susceptibilityWords = map[string]string{"susceptible": "S", "sensitive": "S", "intermediate": "I", "resistant": "R", "not susceptible": "NS",
	"non-susceptible": "NS", "nonsusceptible": "NS", "susceptible-dose dependent": "SDD", "susceptible dose dependent": "SDD"}

// Susceptibility reads what a value says of a medicine against an organism: the letter of its
// flags, and of itself where it is one. ok is false where neither is there.
func Susceptibility(v Value) (letter, word string, ok bool) {
	var said []string
	add := func(l string) {
		if _, known := susceptibilities[l]; known && !slices.Contains(said, l) {
			said = append(said, l)
		}
	}
	for f := range strings.SplitSeq(strings.ToUpper(v.Flag), "~") {
		add(strings.TrimSpace(f))
	}
	text := strings.ToLower(strings.TrimSpace(v.Text))
	if l := susceptibilityWords[text]; l != "" {
		add(l)
	} else {
		add(strings.ToUpper(text))
	}
	switch {
	case len(said) == 0:
		return "", "", false
	case !Live(v.Status):
		return "", "no value", true
	case len(said) > 1:
		var words []string
		for _, l := range []string{"S", "VS", "MS", "SDD", "I", "NS", "R", "IE", "SYN-S", "SYN-R"} {
			if slices.Contains(said, l) {
				words = append(words, susceptibilities[l])
			}
		}
		return "", "contradictory: " + strings.Join(words, " and "), true
	case said[0] == "I" && strings.Contains(strings.ToUpper(v.Details.Method+v.Notes), "EUCAST"):
		return "I", "susceptible, increased exposure", true
	}
	return said[0], susceptibilities[said[0]], true
}

// organismCodes are LOINC codes of what grew (LOINC 2.78).
var organismCodes = []string{"600-7", "630-4", "634-6", "635-3", "6463-4", "11475-1", "580-1", "601-5", "6462-6", "624-7", "43409-2", "17928-3", "17934-1"}

var organismName = regexp.MustCompile(`(?i)^(organism|isolate|bacteria identified|microorganism)\b`)

func isOrganism(v Value) bool {
	return Live(v.Status) && v.Text != "" && !Number(v.Text) && (slices.Contains(organismCodes, v.LOINC) || organismName.MatchString(v.Name))
}

// sectionCodes are what a text is by its LOINC code (LOINC 2.78): "first" for what concludes.
var sectionCodes = map[string]string{"19005-8": "first", "22637-3": "first", "55110-1": "first", "35265-8": "first",
	"22634-0": "part", "22635-7": "part", "22636-5": "part", "22639-9": "part", "18782-3": "part", "59776-5": "part", "18785-6": "part", "18834-2": "part",
	"55752-0": "part", "55115-0": "part", "55111-9": "part", "11329-0": "part"}

// suffixes are what a text is by the suffix of its identifier (HL7 v2.5.1, 7.1.4 table 7-2).
var suffixes = map[string]string{"IMP": "impression", "ADT": "addendum", "GDT": "description", "REC": "recommendation", "CNS": "who was consulted",
	"CMT": "comment", "DEV": "device", "SER": "serial numbers", "MED": "medicines", "TEC": "technique", "ANT": "place", "TCM": "technician's comment",
	"PRO": "procedure", "MDT": "modification", "OPS": "recommended procedure", "DIA": "impression"}

// concluding are headings of what is read first; heading are all that begin a part of a text.
var (
	concluding = regexp.MustCompile(`(?i)^(impressions?|conclusions?|opinion|(final )?(pathologic(al)? )?diagnos[ei]s|addend(um|a))$`)
	headings   = regexp.MustCompile(`(?i)^\s*(impressions?|conclusions?|opinion|(?:final )?(?:pathologic(?:al)? )?diagnos[ei]s|addend(?:um|a)|findings?|technique|comparison|indications?|` +
		`(?:clinical )?(?:history|information|indication|details)|reason for (?:exam(?:ination)?|study|test)|exam(?:ination)?|procedures?|recommendations?|` +
		`(?:gross|macroscopic|microscopic)(?: description| examination)?|specimens?(?: submitted)?|comments?|contrast)\s*(:|$)[ \t]*`)
)

// wordy is a value that is a part of a text: no number, no range, no code.
func wordy(v Value) bool {
	return !Number(v.Text) && v.Range == "" && v.Unit == "" && len(v.Details.Coded) == 0 && len(v.Details.Attached) == 0
}

// base is the identifier of a value without its suffix, and what the suffix says.
func base(v Value) (code, suffix string) {
	code, suffix, _ = strings.Cut(v.Code, "&")
	return code, suffixes[suffix]
}

// Lay sets an issue for the page. parent is what the report is about, as a susceptibility is of
// an organism: its identifier with "/" and sub-identifier, then its name.
func Lay(values []Value, parent string) Laid {
	var out Laid
	placed := make([]bool, len(values))
	for i, v := range values {
		if len(v.Details.Attached) > 0 {
			out.Attached, placed[i] = append(out.Attached, i), true
		}
	}
	out.Cultures = cultures(values, placed, parent)
	for i := 0; i < len(values); i++ {
		if placed[i] {
			continue
		}
		v := values[i]
		if !wordy(v) {
			out.Rows = append(out.Rows, i)
			continue
		}
		run := runOf(values, placed, i)
		_, suffix := base(v)
		kind := sectionCodes[v.LOINC]
		long := len(run) > 1 || strings.Contains(v.Text, "\n") || len(v.Text) > 80 || kind != "" || suffix != "" || headings.MatchString(v.Text)
		if !long || v.Text == "" && len(run) == 1 {
			out.Rows = append(out.Rows, i)
			continue
		}
		var text []string
		for _, k := range run {
			placed[k] = true
			text = append(text, values[k].Text)
		}
		for _, s := range sectionsOf(strings.Join(text, "\n")) {
			first := concluding.MatchString(s.Heading) || kind == "first" || suffix == "impression" || suffix == "addendum"
			switch {
			case s.Heading != "":
			case suffix != "":
				s.Heading = strings.TrimPrefix(v.Name+", "+suffix, ", ")
			case kind != "" || sectionTitle(v, values):
				s.Heading = v.Name
			}
			s.Rows = run
			if first {
				out.First = append(out.First, s)
			} else {
				out.Sections = append(out.Sections, s)
			}
		}
	}
	return out
}

// sectionTitle says whether the name of a text tells it from others of the report.
func sectionTitle(v Value, values []Value) bool {
	return slices.ContainsFunc(values, func(w Value) bool { return wordy(w) && w.Name != v.Name })
}

// runOf are the values that make up one text with a value: those of the same identifier, status
// and flag that follow at once, where they came as text; what has a note of its own ends it.
func runOf(values []Value, placed []bool, from int) []int {
	run := []int{from}
	v := values[from]
	for k := from + 1; v.Details.Kind == "text" && k < len(values) && !placed[k]; k++ {
		w := values[k]
		if values[k-1].Notes != "" || w.Details.Kind != "text" || w.Code != v.Code || w.Name != v.Name || w.Status != v.Status || w.Flag != v.Flag || !wordy(w) {
			break
		}
		run = append(run, k)
	}
	return run
}

// sectionsOf parts a text at the headings that stand at the beginning of a line. Without any it
// is one part.
func sectionsOf(text string) []Section {
	var out []Section
	var lines []string
	heading := ""
	end := func() {
		if t := strings.Trim(strings.Join(lines, "\n"), "\n"); t != "" || heading != "" {
			out = append(out, Section{Heading: heading, Text: t})
		}
		lines = nil
	}
	for l := range strings.SplitSeq(text, "\n") {
		m := headings.FindStringSubmatchIndex(l)
		if m == nil || concluding.MatchString(heading) && !ends(l[m[2]:m[3]]) {
			lines = append(lines, l)
			continue
		}
		end()
		heading = l[m[2]:m[3]]
		if rest := l[m[1]:]; rest != "" {
			lines = append(lines, rest)
		}
	}
	end()
	return out
}

// ends says whether a heading ends a conclusion: a comment or a specimen within one belongs to it.
func ends(heading string) bool {
	h := strings.ToLower(heading)
	return !strings.HasPrefix(h, "comment") && !strings.HasPrefix(h, "specimen") && !strings.HasPrefix(h, "recommendation")
}

// cultures finds what values say of medicines against organisms, and marks them as placed.
func cultures(values []Value, placed []bool, parent string) []Culture {
	id, of, _ := strings.Cut(parent, " ")
	_, parentSub, ofOrganism := strings.Cut(id, "/")
	organisms := map[string][]string{} // by sub-identifier
	var all []string
	for _, v := range values {
		if isOrganism(v) {
			organisms[v.Details.SubID] = append(organisms[v.Details.SubID], v.Text)
			all = append(all, v.Text)
		}
	}
	isOf := ofOrganism && of != ""
	if len(all) == 0 && !isOf {
		// Letters alone may mean anything; flags that tell of susceptibility do not.
		for i := range values {
			if l, _, ok := Susceptibility(Value{Flag: values[i].Flag}); ok && l != "" && !placed[i] && l != "I" && l != "R" {
				isOf = true
			}
		}
		if !isOf {
			return nil
		}
	}
	named := func(sub string) (string, string) {
		if len(all) == 0 {
			if of != "" && ofOrganism {
				return parentSub, of
			}
			return sub, ""
		}
		if sub == "" {
			if len(all) == 1 {
				return "", all[0]
			}
			return "", ""
		}
		step, _, _ := strings.Cut(sub, ".")
		for _, s := range []string{sub, step} {
			if n := organisms[s]; len(n) == 1 {
				return s, n[0]
			}
		}
		return sub, ""
	}
	var out []Culture
	for i, v := range values {
		if placed[i] || isOrganism(v) {
			continue
		}
		letter, word, ok := Susceptibility(v)
		if !ok {
			unit := strings.ToLower(strings.ReplaceAll(v.Unit, "µ", "u"))
			if !Number(v.Text) || !slices.Contains([]string{"ug/ml", "mcg/ml", "mg/l", "mm"}, unit) {
				continue
			}
			word = "not interpreted"
		}
		sub, name := named(v.Details.SubID)
		if !ok && name == "" {
			continue
		}
		at := slices.IndexFunc(out, func(c Culture) bool { return c.SubID == sub && c.Organism == name })
		if at < 0 {
			out, at = append(out, Culture{SubID: sub, Organism: name}), len(out)
		}
		out[at].Drugs, placed[i] = append(out[at].Drugs, Drug{Row: i, Letter: letter, Word: word}), true
	}
	return out
}

// Quoted are the values of an issue as another text may quote them, one after the other in a line: what stands in the table as it
// is; of texts what concludes, else all of them; of susceptibilities a sentence an organism. Files are left out.
func Quoted(values []Value, parent string) []Value {
	at := Lay(values, parent)
	var out []Value
	for _, i := range at.Rows {
		out = append(out, values[i])
	}
	texts := at.First
	if len(texts) == 0 {
		texts = at.Sections
	}
	for _, s := range texts {
		v := values[s.Rows[0]]
		if s.Heading != "" && !strings.EqualFold(s.Heading, v.Name) && !strings.HasPrefix(s.Heading, v.Name+",") {
			v.Name += ", " + strings.ToLower(s.Heading)
		} else if s.Heading != "" {
			v.Name = s.Heading
		}
		v.Name, v.Text = v.Name+":", strings.TrimSuffix(strings.Join(strings.Fields(s.Text), " "), ".")
		out = append(out, v)
	}
	for _, c := range at.Cultures {
		of := map[string][]string{}
		var words []string
		for _, d := range c.Drugs {
			if of[d.Word] == nil {
				words = append(words, d.Word)
			}
			of[d.Word] = append(of[d.Word], values[d.Row].Name)
		}
		for i, w := range words {
			words[i] = w + ": " + strings.Join(of[w], ", ")
		}
		name := c.Organism
		if name == "" {
			name = "Organism not said"
		}
		out = append(out, Value{Name: name + ":", Text: strings.Join(words, "; "), Status: values[c.Drugs[0].Row].Status})
	}
	return out
}
