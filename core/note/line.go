package note

import (
	"slices"
	"strings"
)

// Unread is a piece of a typed line that was not understood; nothing is done with it.
type Unread struct {
	Text  string   `json:"text"`
	Could []string `json:"could"` // what it could mean
}

// ReadLine reads a line of findings as somebody types it:
//
//	lungs, heart nl            whole systems normal; of the review: gi neg
//	wheeze right moderate      a finding with its qualifiers
//	knee: effusion left        the same, where several systems have it
//	no murmur, rub, gallop     a denial reaches its whole list, up to a verb of saying,
//	                           a sign, "but", the next system or the end of the sentence
//	-fever, (-) rash, w/o itch denied; +cough, (+) chills, reports cough: there
//	rash: no, fever absent     the sign may stand behind
//	no fever, cough 3d         an item of a list of denials with something said of it
//	                           is asked about, and so are the others between
//	abd soft NT ND, RRR, CTAB  what is normal of single aspects
//	skip chills                taken out again: neither asked nor found
//	<lungs                     the system as at the last visit
//	"wide gait"                free words about the system named last
//	.                          all the rest of what is shown: denied, or normal
//
// rest are the systems shown. Words may be shortened to three letters. What is not
// understood, or could mean two things, is returned and changes nothing, and what
// follows it in its sentence is never taken as present.
func (s *Systems) ReadLine(a Area, line string, rest []string) ([]Change, []Unread) {
	r := lineReader{s: s, area: a, rest: rest, changes: []Change{}, unread: []Unread{}, swept: map[string]bool{}}
	for _, sentence := range r.sentences(line) {
		r.sentence(sentence)
	}
	r.spokenOfAgain()
	return r.changes, r.unread
}

// spokenOfAgain takes back what is named once more where the line was not understood: "no
// chest pain, chest pain with stairs", "nausea nausea no nausea".
func (r *lineReader) spokenOfAgain() {
	read := len(r.unread)
	for at := 0; at < len(r.changes); at++ {
		c := r.changes[at]
		if c.Finding == "" || c.State != Present && c.State != Absent {
			continue
		}
		for _, u := range r.unread[:read] {
			if !r.s.names(r.area, c, u.Text) {
				continue
			}
			r.changes = slices.Delete(r.changes, at, at+1)
			i, _ := r.s.Item(r.area, c.System, c.Finding)
			r.unread = append(r.unread, Unread{i.Say + "?", []string{"no " + i.Say, "has " + i.Say}})
			at--
			break
		}
	}
}

// names says whether words name the finding of a change, whole and in their order.
func (s *Systems) names(a Area, c Change, text string) bool {
	i, ok := s.Item(a, c.System, c.Finding)
	if !ok {
		return false
	}
	said := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return strings.ContainsRune(" ,;:?!()\"", r) })
	return slices.ContainsFunc(i.called, func(name called) bool {
		if name.kind != wholeName {
			return false
		}
		for at := 0; at+len(name.parts) <= len(said); at++ {
			if slices.EqualFunc(said[at:at+len(name.parts)], name.parts, equalWord) {
				return true
			}
		}
		return false
	})
}

// lineReader carries what one saying of a line says of the next.
type lineReader struct {
	s       *Systems
	area    Area
	rest    []string
	changes []Change
	unread  []Unread

	system string // spoken of last
	head   string // that stands before a colon in this sentence: "knee: …"
	named  bool   // by its name, in this sentence
	side   string // said of the system: "right knee: …"
	mode   mode
	other  bool            // somebody else was spoken of in this sentence
	denied bool            // something was denied in this sentence
	last   int             // how many changes the saying before made
	lost   bool            // something in this sentence was not understood
	swept  map[string]bool // systems named alone: all of them normal but for what is said besides
	grave  bool            // and it may put off all the rest: "exam limited"
	knot   bool            // a denial ran into the next sign: "denies that she denied …"
	cut    bool            // the phrase before was ended by a sign alone
	not    bool
	signed bool
	stem   string
}

// mode is what a saying without a sign of its own means.
type mode int

const (
	there  mode = iota // as it stands: present
	denied             // in a list of denials
	said               // in a list after a verb of saying
	unsure             // after something that was not understood: asked about
)

// read is what one saying turned out to be.
type read struct {
	changes []Change
	could   []string
	bare    bool // findings alone, nothing said of them: "chills", not "chills 2d" or "anxious"
	normal  bool // what is normal, of a system or an aspect
	ok      bool
}

func (r *lineReader) sentence(ps []saying) {
	if len(ps) > 0 && !ps[0].soft {
		r.named, r.side, r.other, r.denied, r.lost, r.grave, r.cut, r.knot = false, "", false, false, false, false, false, false
		r.mode, r.head = there, ""
	} else if r.mode == denied || r.mode == unsure { // behind a semicolon
		r.mode = unsure
		r.other, r.lost, r.grave, r.cut = false, false, false, false
	}
	for i := 0; i < len(ps); i++ {
		p := ps[i]
		switch {
		case p.quote:
			r.quoted(p)
			continue
		case p.sign == all && len(r.rest) == 0 && p.text != ".":
			r.ask(p, []string{"name the systems"})
			continue
		case p.sign == all:
			r.changes = append(r.changes, Change{Area: r.area, Rest: slices.Clone(r.rest)})
			r.mode, r.last = there, 0
			continue
		case p.sign == but && r.mode != unsure:
			r.mode = there
			p.sign, p.but = none, true
		case p.sign == but:
			p.sign, p.but = none, true
		}
		if p.sign == except {
			if r.except(ps[i:]) {
				return
			}
			continue
		}
		if len(p.words) == 0 && p.sign == none && !p.twice {
			continue
		}
		// "fever, no. cough, yes" reads either way.
		if i+1 < len(ps) && ps[i+1].onlySign() && p.sign == none && !p.behind {
			r.ask(p, nil)
			continue
		}
		// "fever, chills: no" may deny both.
		if i+1 < len(ps) && ps[i+1].behind && ps[i+1].colon && p.sign == none && !p.behind && !p.colon {
			r.ask(p, nil)
			continue
		}
		// "fever, chills denied" does too.
		if p.sign == none && !p.behind && !p.colon && r.mode != denied && deniedBehind(ps[i+1:]) {
			if got := r.read(p); got.ok && got.bare {
				r.ask(p, nil)
				continue
			}
		}
		// "no headache - dizzy": the dash may be a comma.
		if p.sign == minus && i > 0 && strings.HasPrefix(p.text, "- ") && (ps[i-1].sign == no || ps[i-1].sign == denies) && !ps[i-1].behind {
			r.ask(p, nil)
			continue
		}
		if p.sign == none && r.mode == denied && !p.behind {
			n := r.block(ps[i:])
			i += n - 1
			continue
		}
		r.one(p)
	}
}

// deniedBehind says whether a list ends in a denial that stands behind its last item.
func deniedBehind(ps []saying) bool {
	for _, p := range ps {
		switch {
		case p.quote || p.colon && !p.behind:
			return false
		case p.behind:
			return p.sign == no && !p.tight
		case p.sign != none || len(p.words) == 0:
			return false
		}
	}
	return false
}

// saying reads one saying that has a sign of its own, or stands where none is carried on.
func (r *lineReader) one(p saying) {
	got := r.read(p)
	if r.knot {
		r.knot = p.cut
		r.ask(p, got.could)
		return
	}
	if p.or && p.sign == none {
		got.ok = false
	}
	if r.mode == unsure && !r.lost && !r.other && p.sign == none && r.fresh(p) {
		r.mode = there // another statement, behind a semicolon
	}
	if !p.twice && !got.ok && p.sign == none && r.qualify(p) {
		return
	}
	if p.twice || !got.ok {
		r.knot = p.cut && (p.sign == no || p.sign == denies)
		if p.but && r.last > 0 && r.changes[len(r.changes)-1].State == Normal {
			r.withdraw(true) // "gait normal but slow"
		}
		r.turn(p)
		r.ask(p, got.could)
		return
	}
	sure := p.sign != none && p.sign != tells && !(r.other && p.sign != plus)
	switch {
	case got.normal && (p.sign == none || p.sign == no || p.sign == plus) && (!r.lost || !r.grave):
	case p.sign == none && r.mode == unsure && !got.normal, p.sign == tells && r.lost, r.other && !sure:
		r.doubt(p)
		return
	case got.normal && r.mode == unsure:
		r.doubt(p)
		return
	}
	if !r.add(got.changes) {
		r.contradicted(got.changes)
		r.doubt(p)
		return
	}
	r.last, r.cut = len(got.changes), p.cut
	switch p.sign {
	case no, denies, minus:
		if p.behind || p.sign == minus {
			break
		}
		r.mode, r.denied = denied, true
	case plus, tells:
		if !p.behind {
			r.mode = said
		}
	}
	if p.sign == minus && !p.behind && strings.HasPrefix(p.text, "- ") {
		r.mode = unsure // "- fever, rash": the dash may be of both
	}
	if got.normal && p.sign == none && r.denied {
		r.mode = unsure // "no murmur, regular, edema": edema may be meant either way
	}
}

// block reads what follows a denial without a sign of its own, up to the next sign, and
// returns how many phrases it took. If all are bare findings all are denied; if anything
// more is said of one of them, none is taken either way.
func (r *lineReader) block(ps []saying) int {
	n, bare, unread := 0, true, false
	for n < len(ps) && ps[n].sign == none && !ps[n].behind && !ps[n].quote && !r.fresh(ps[n]) {
		if ps[n].cut && len(ps[n].words) > 0 { // "without fever, rash without itching": what begins anew is not of the list
			if n == 0 {
				r.doubt(ps[0])
				r.mode = unsure
				return 1
			}
			break
		}
		if n+1 < len(ps) && ps[n+1].onlySign() {
			break
		}
		got := r.read(ps[n])
		if got.normal {
			break
		}
		not := ps[n]
		not.sign = no
		if as := r.read(not); as.ok {
			bare = bare && as.bare && (!got.ok || got.bare)
		} else if got.ok {
			bare = false
		} else {
			unread = true
			n++
			break
		}
		n++
	}
	if n == 0 { // another statement: a system by name, what is normal
		if r.fresh(ps[0]) {
			r.mode = there
		}
		r.one(ps[0])
		return 1
	}
	for k, p := range ps[:n] {
		p.sign = no
		got := r.read(p)
		switch {
		case unread && k == n-1:
			r.turn(p)
			p.sign = none
			r.ask(p, got.could)
		case !bare || !got.ok || r.other:
			r.doubt(ps[k])
		case r.saidAlready(got.changes): // "no fever, fever"
			r.doubt(ps[k])
		case !r.add(got.changes):
			r.doubt(ps[k])
		default:
			r.last = len(got.changes)
		}
	}
	if !bare {
		r.mode = unsure
	}
	return n
}

// saidAlready takes back what a list of denials names twice, and says whether it did.
func (r *lineReader) saidAlready(cs []Change) bool {
	before := len(r.changes)
	r.changes = slices.DeleteFunc(r.changes, func(b Change) bool {
		return b.State == Absent && slices.ContainsFunc(cs, func(c Change) bool { return c.System == b.System && c.Finding == b.Finding })
	})
	return len(r.changes) < before
}

// except reads what is told after "all negative except": present, then all the rest.
func (r *lineReader) except(ps []saying) bool {
	head := ps[0]
	var found []Change
	system := ""
	if r.last > 0 && r.changes[len(r.changes)-1].State == Normal {
		system = r.changes[len(r.changes)-1].System // "lungs clear except wheeze"
	}
	if !head.whole && system == "" || head.whole && len(r.rest) == 0 {
		r.withdraw(true) // "no tenderness except RLQ" is no denial
		for _, p := range ps {
			p.sign = none
			r.ask(p, nil)
		}
		return true
	}
	for k, p := range ps {
		if k == 0 && len(p.words) == 0 {
			continue
		}
		if k > 0 && p.sign != none {
			found = nil
			break
		}
		p.sign = plus
		got := r.read(p)
		if !got.ok || got.normal || !head.whole && got.changes[0].System != system {
			found = nil
			break
		}
		found = append(found, got.changes...)
	}
	if found != nil && !head.whole { // what is normal beside it is read without what is found
		r.changes = append(r.changes, found...)
		return true
	}
	if found == nil && !head.whole {
		r.withdraw(true)
	}
	if found == nil || !r.add(found) {
		var all []string
		for _, p := range ps {
			all = append(all, p.text)
		}
		r.unread = append(r.unread, Unread{strings.Join(all, ", "), []string{}})
		return true
	}
	r.changes = append(r.changes, Change{Area: r.area, Rest: slices.Clone(r.rest)})
	return true
}

// fresh says whether a saying begins with the name of a system, and so begins anew.
func (r *lineReader) fresh(p saying) bool {
	if len(p.words) == 0 {
		return false
	}
	at := 0
	if sideOf(p.words[0]) != "" && len(p.words) > 1 {
		at = 1
	}
	system, left, whole := r.s.systemAt(r.area, p.words[at:])
	if system == "" {
		return false
	}
	// "joint pain" begins with a word of a system, and is a symptom.
	if got := r.items(p.words, Present, ""); got.ok && !p.colon && len(left) > 0 && !whole {
		return false
	}
	return p.colon || whole
}

// turn takes back what the saying before said when this one may turn it: "cough, resolved".
func (r *lineReader) turn(p saying) {
	if p.not || slices.Contains(p.words, "not") {
		if slices.ContainsFunc(strings.Fields(strings.ToLower(p.text)), func(w string) bool { return w == "they" || w == "it" || w == "this" || w == "that" }) {
			r.withdraw(true) // "lungs clear no they are not"
		}
		r.grave = r.grave || slices.ContainsFunc(p.words, func(w string) bool {
			return strings.HasPrefix(w, "examined") || strings.HasPrefix(w, "assessed") || strings.HasPrefix(w, "tested") || strings.HasPrefix(w, "checked")
		})
	}
	if r.cut {
		r.withdraw(false) // "sob no worse than usual"
	}
	if at := slices.Index(p.words, "per"); at >= 0 && at+1 < len(p.words) && people[p.words[at+1]] { // "fever neg (per mom)"
		r.withdraw(true)
	}
	for k, w := range p.words {
		if people[w] {
			r.other = true
		}
		r.grave = r.grave || turning[w] || hindered[w]
		if turning[w] && (w != "not" && w != "no" || k == 0) || p.not {
			r.withdraw(false)
			break
		}
	}
}

// withdraw takes back what was found, with all of it also what was denied or normal.
func (r *lineReader) withdraw(all bool) {
	if r.last == 0 {
		return
	}
	from := len(r.changes) - r.last
	gone := slices.Clone(r.changes[from:])
	r.changes = slices.Clip(r.changes[:from])
	r.last = 0
	for _, c := range gone {
		if !all && (c.State == Absent || c.State == Normal) {
			r.changes = append(r.changes, c)
			continue
		}
		say := c.System + " normal"
		if i, ok := r.s.Item(c.Area, c.System, c.Finding); ok {
			say = i.Say
		} else if x, ok := r.s.System(c.Area, c.System); ok {
			say = strings.ToLower(x.Name) + " normal"
		}
		r.unread = append(r.unread, Unread{say + "?", []string{"no " + say, "has " + say}})
	}
}

// qualify adds to the finding before what a phrase by itself says of it: "cough 2w,
// productive", "headaches, left side".
func (r *lineReader) qualify(p saying) bool {
	if r.last != 1 || r.mode == unsure || len(p.words) == 0 {
		return false
	}
	c := &r.changes[len(r.changes)-1]
	i, ok := r.s.Item(c.Area, c.System, c.Finding)
	if !ok || c.State != Present {
		return false
	}
	got := r.items(append(strings.Fields(strings.ToLower(i.Say)), p.words...), Present, c.System)
	if !got.ok || got.bare || got.changes[0].Finding != c.Finding {
		return false
	}
	more := got.changes[0]
	if c.Side != "" && more.Side != "" && c.Side != more.Side || c.Severity != "" && more.Severity != "" || c.Duration != "" && more.Duration != "" {
		return false
	}
	c.Side, c.Severity, c.Duration = c.Side+more.Side, c.Severity+more.Severity, c.Duration+more.Duration
	if len(c.Side) > len("right") {
		c.Side = more.Side
	}
	c.Words, c.Remark = append(c.Words, more.Words...), joinNonEmpty(", ", c.Remark, more.Remark)
	return true
}

// ask hands a saying back as it was typed.
func (r *lineReader) ask(p saying, could []string) {
	if could == nil {
		could = []string{}
	}
	text := p.text
	if r.mode == denied && p.sign == none && !strings.HasSuffix(text, "?") {
		text += "?" // so that it is not taken as present once it is spelt as we know it
	}
	if r.named && r.system != "" && p.sign == none {
		if x, ok := r.s.System(r.area, r.system); ok && !r.fresh(p) {
			text = strings.ToLower(x.Name) + ": " + text
		}
	}
	r.unread = append(r.unread, Unread{text, could})
	r.mode, r.lost, r.last, r.cut = unsure, true, 0, false
}

// doubt hands a finding back as a question, so that it stays one when the line that
// it stood in is gone.
func (r *lineReader) doubt(p saying) {
	text := strings.TrimSuffix(p.text, "?")
	r.unread = append(r.unread, Unread{text + "?", []string{"no " + text, "has " + text}})
	r.last = 0
}

func (r *lineReader) quoted(p saying) {
	switch {
	case r.system == "":
		r.unread = append(r.unread, Unread{p.text, []string{"name a system before its free words"}})
	case strings.Trim(p.text, "\" ") != "":
		r.changes = append(r.changes, Change{Area: r.area, System: r.system, State: Remark, Remark: strings.TrimSpace(strings.Trim(p.text, "\""))})
	}
}

// add takes what was read, unless it says the opposite of what stands in the line
// already. Two sides of one finding become one finding that says both.
func (r *lineReader) add(cs []Change) bool {
	out := slices.Clone(r.changes)
	for _, c := range cs {
		k := slices.IndexFunc(out, func(b Change) bool {
			return b.Finding != "" && b.System == c.System && b.Finding == c.Finding && len(b.Rest) == 0
		})
		if c.State == Present {
			if clash := r.normalOf(out, c); clash {
				return false
			}
		}
		if k < 0 || out[k].State == LeftOut || c.State == LeftOut {
			out = append(out, c)
			continue
		}
		b := &out[k]
		switch {
		case b.State == c.State && b.Side == c.Side:
			out = append(out, c)
		case b.State == Present && c.State == Present && b.Side != "" && c.Side != "":
			if b.Severity != c.Severity || b.Duration != c.Duration || !slices.Equal(b.Words, c.Words) || b.Remark != c.Remark {
				b.Remark, c.Remark = quality(*b), quality(c)
				b.Remark = joinNonEmpty("; ", b.Side+" "+b.Remark, c.Side+" "+c.Remark)
				b.Severity, b.Duration, b.Words = "", "", []string{}
			}
			b.Side = "both"
		case b.State == Absent && c.State == Absent && b.Side != "" && c.Side != "":
			b.Side = "both"
		case b.State != c.State && opposite(b.Side, c.Side):
			yes, not := *b, c
			if yes.State == Absent {
				yes, not = not, yes
			}
			yes.Remark = joinNonEmpty("; ", yes.Remark, "not on the "+not.Side)
			*b = yes
		default:
			return false
		}
	}
	r.changes = out
	return true
}

// contradicted takes back what the line called normal where something was found, too.
func (r *lineReader) contradicted(found []Change) {
	for _, c := range found {
		if c.State != Present || !r.normalOf(r.changes, c) {
			continue
		}
		x, _ := r.s.System(r.area, c.System)
		r.changes = slices.DeleteFunc(r.changes, func(b Change) bool {
			return b.State == Normal && r.normalOf([]Change{b}, c)
		})
		name := strings.ToLower(x.Name) + " normal"
		r.unread = append(r.unread, Unread{name + "?", []string{name}})
	}
}

// normalOf says whether a finding contradicts something of the line that calls its
// system or aspect normal.
func (r *lineReader) normalOf(cs []Change, c Change) bool {
	x, _ := r.s.System(r.area, c.System)
	for _, b := range cs {
		if b.System != c.System || b.State != Normal || b.Finding == "" && r.swept[b.System] {
			continue
		}
		if b.Finding == "" && r.area == Examination {
			return true
		}
		for _, asp := range x.Aspects {
			if asp.ID == b.Finding && slices.ContainsFunc(asp.Findings, func(i Item) bool { return i.ID == c.Finding }) {
				return true
			}
		}
	}
	return false
}

func quality(c Change) string {
	d := ""
	if c.Duration != "" {
		d = "for " + Duration(c.Duration)
	}
	return joinNonEmpty(" ", c.Severity, strings.Join(c.Words, " "), c.Remark, d)
}

func joinNonEmpty(by string, parts ...string) string {
	parts = slices.DeleteFunc(parts, func(s string) bool { return strings.TrimSpace(s) == "" })
	return strings.TrimSpace(strings.Join(parts, by))
}

func opposite(a, b string) bool { return a == "left" && b == "right" || a == "right" && b == "left" }
