package outside

import (
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"
	"time"
	"unicode"

	"deftledger/core/chart"
)

// Subject is something that a patient may wish to hold back, with what tells of it: the beginnings of codes of ICD-10-CM, words, and the
// ingredients or classes of medicines. A word is the beginning of a word; with a point at its end it is the whole word; with a capital
// letter in it, it is the whole word written just so.
type Subject struct {
	ID     string   `yaml:"id"`
	Title  string   `yaml:"title"`
	Source string   `yaml:"source"`
	Codes  []string `yaml:"codes"`
	Words  []string `yaml:"words"`
	Names  []string `yaml:"names"`
}

// Sensitive is what may be held back by its subject, and groups of names of one thing.
type Sensitive struct {
	Subjects []Subject  `yaml:"subjects"`
	Same     [][]string `yaml:"same"`
}

// What a wish to hold something back is about.
const (
	OfPart    = "part"
	OfSubject = "subject"
	OfEntry   = "entry"
)

// Wish is something that is held back from everybody but the patient, since a moment: a part of the chart, a subject, or an entry by its
// identifier. Tells are words by which other entries and notes may tell of an entry; "" for one that is not looked for, as a note is not.
type Wish struct {
	Of, ID, Title, Tells string
	At                   time.Time
}

// Clearance is that a person looked at an entry and lets it go: as it read then, and with regard to what had been wished for until then.
type Clearance struct {
	At    time.Time
	Reads []string
}

// Told is an entry, a note or a file of a chart, by what it says. Names are what is known of the medicines in it; Unread says that it holds
// something that nobody here can look into, such as a picture.
type Told struct {
	Ref    string
	Parts  []string // of the chart
	Text   string
	Codes  []string
	Names  []string
	Unread bool
}

// Reads names what it says, so that what was looked at is known again, and what has changed since is not taken for it.
func (t Told) Reads() string {
	sum := sha256.Sum256([]byte(strings.Join(append(append([]string{t.Text}, t.Codes...), t.Parts...), "\x1f")))
	return hex.EncodeToString(sum[:8])
}

// Keeper holds back what a patient wishes.
type Keeper struct {
	Sensitive
	Wishes  []Wish
	Cleared map[string]Clearance // by entry
}

// Why says why something does not go out; "" where it may. What was wished for by itself, or as a part, is held back whatever was said of it
// besides; what only tells of something that is held back may be let go by a person; what nobody can look into is held back like it, as soon
// as a subject or an entry is.
func (k Keeper) Why(t Told) string {
	for _, w := range k.Wishes {
		switch {
		case w.Of == OfPart && slices.Contains(t.Parts, w.ID):
			return "this part is held back"
		case w.Of == OfEntry && w.ID == t.Ref:
			return "it is held back"
		}
	}
	if len(k.Wishes) == 0 {
		return ""
	}
	cleared, looked := k.Cleared[t.Ref]
	looked = looked && slices.Contains(cleared.Reads, t.Reads())
	plain, exact := wordsOf(t.Text), exactly(t.Text)
	for _, w := range k.Wishes {
		if w.Of == OfPart || looked && !cleared.At.Before(w.At) {
			continue
		}
		by := ""
		if w.Of == OfEntry {
			by = k.echo(w.Tells, plain, exact)
		} else if i := slices.IndexFunc(k.Subjects, func(s Subject) bool { return s.ID == w.ID }); i >= 0 {
			by = k.Subjects[i].tells(t, plain, exact)
		} else {
			return "nobody here knows any more what tells of “" + w.Title + "”"
		}
		switch {
		case by != "":
			return "it may tell of “" + w.Title + "” (" + by + ")"
		case t.Unread:
			return "nobody here can look into it"
		}
	}
	return ""
}

// tells says by what a text tells of a subject; "" where it does not.
func (s Subject) tells(t Told, plain, exact string) string {
	for _, code := range append(codesIn(exact), t.Codes...) {
		if slices.ContainsFunc(s.Codes, func(c string) bool { return strings.HasPrefix(code, c) }) {
			return code
		}
	}
	if w := firstIn(s.Words, plain, exact); w != "" {
		return w
	}
	for _, n := range s.Names {
		if slices.ContainsFunc(t.Names, func(x string) bool { return strings.EqualFold(x, n) }) || strings.Contains(plain, " "+n) {
			return n
		}
	}
	return ""
}

// wordsOf are the words of a text in small letters, each with a space before and after it.
func wordsOf(text string) string {
	return " " + strings.Join(strings.FieldsFunc(chart.Plain(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }), " ") + " "
}

// exactly are the words of a text as they are written; a code keeps its point.
func exactly(text string) string {
	return " " + strings.Join(strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '.' }), " ") + " "
}

// codesIn are the codes of ICD-10-CM among words.
func codesIn(exact string) (out []string) {
	for w := range strings.FieldsSeq(exact) {
		w = strings.TrimRight(w, ".")
		if len(w) >= 3 && w[0] >= 'A' && w[0] <= 'Z' && w[1] >= '0' && w[1] <= '9' && (len(w) == 3 || w[3] == '.') {
			out = append(out, w)
		}
	}
	return out
}

// general are words of titles that tell of nothing by themselves.
var general = strings.Fields("acute chronic unspecified other without with disorder disease syndrome history type stage left right both upper lower current mild moderate severe recurrent single episode initial encounter subsequent " +
	"essential primary secondary dependence abuse uncomplicated complication complications major minor mixed daily tablet capsule oral dysfunction failure infection viral bacterial personal family part parts body site multiple " +
	"specified elsewhere classified following related status presence absence and for from the use positive negative test result report note visit letter of high low blood pain")

// firstIn is the first of some words that a text has, as a Subject writes them.
func firstIn(words []string, plain, exact string) string {
	for _, w := range words {
		switch whole, dot := strings.CutSuffix(w, "."); {
		case strings.ToLower(w) != w:
			if strings.Contains(exact, " "+whole+" ") {
				return whole
			}
		case dot && strings.Contains(plain, " "+whole+" "), !dot && strings.Contains(plain, " "+w):
			return whole
		}
	}
	return ""
}

// echo is the word by which a text may tell of an entry; "" where it does not.
func (k Keeper) echo(title, plain, exact string) string {
	words := wordsOf(title)
	for w := range strings.FieldsSeq(words) {
		if len(w) < 4 || slices.Contains(general, w) || strings.Trim(w, "0123456789") == "" {
			continue
		}
		if strings.Contains(plain, " "+w[:min(len(w), 6)]) {
			return w
		}
	}
	for _, group := range k.Same {
		if firstIn(group, words, exactly(title)) != "" {
			if w := firstIn(group, plain, exact); w != "" {
				return w
			}
		}
	}
	return ""
}
