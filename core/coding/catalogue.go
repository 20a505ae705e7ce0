// Package coding computes with ICD-10-CM: the catalogue of codes, whether a code
// is valid and billable on a date of service, and the search that finds the code
// a clinician means. It reads nothing and knows no clock; the compact catalogue
// and the everyday-word list are handed to it as bytes.
package coding

import (
	"errors"
	"fmt"
	"iter"
	"sort"
	"strconv"
	"strings"
)

// Edition says which official release a catalogue was made from and on which
// dates of service (YYYY-MM-DD, inclusive) its codes are valid.
type Edition struct {
	Name, Origin, From, Until string
}

// CoversDate says whether codes of this edition are valid on a date of service.
func (e Edition) CoversDate(date string) bool { return date >= e.From && date <= e.Until }

// Note is one instructional note of the tabular list, standing at Code.
type Note struct {
	Code string
	Kind string // "inclusion", "includes", "excludes1", "excludes2", "code first", "use additional", "code also", "note"
	Text string
}

// Entry is a heading or code. Codes are written with the dot.
type Entry struct {
	Code     string
	Title    string
	Billable bool
	Depth    int // 0 chapter, 1 section, 2 category and deeper
}

type node struct {
	code, title, ext, notes string
	depth, parent           int
}

// Catalogue is one edition of ICD-10-CM. It is read-only and safe for concurrent use.
type Catalogue struct {
	Edition  Edition
	nodes    []node
	children [][]int32
	byCode   map[string]int32 // bare code without dot, upper case
	count    int
	billable int
}

var kinds = map[byte]string{'i': "inclusion", 'n': "includes", '1': "excludes1", '2': "excludes2", 'f': "code first", 'a': "use additional",
	's': "code also", 't': "note"}

// Load reads the compact catalogue written by exchange/icd10cm.
func Load(compact string) (*Catalogue, error) {
	c := &Catalogue{byCode: make(map[string]int32, 48000), nodes: make([]node, 0, 48000)}
	var open [12]int
	lineNo := 0
	for len(compact) > 0 {
		var line string
		line, compact, _ = strings.Cut(compact, "\n")
		lineNo++
		if strings.HasPrefix(line, "#") {
			key, value, ok := strings.Cut(strings.TrimPrefix(line, "# "), "\t")
			if ok {
				switch key {
				case "name":
					c.Edition.Name = value
				case "origin":
					c.Edition.Origin = value
				case "from":
					c.Edition.From = value
				case "until":
					c.Edition.Until = value
				}
			}
			continue
		}
		if line == "" {
			continue
		}
		f := strings.SplitN(line, "\t", 5)
		if len(f) != 5 {
			return nil, fmt.Errorf("catalogue line %d has %d fields instead of 5", lineNo, len(f))
		}
		depth, err := strconv.Atoi(f[1])
		if err != nil || depth < 0 || depth >= len(open) {
			return nil, fmt.Errorf("catalogue line %d has the depth %q", lineNo, f[1])
		}
		n := node{code: f[0], depth: depth, title: f[2], ext: f[3], notes: f[4], parent: -1}
		if depth > 0 {
			n.parent = open[depth-1]
		}
		open[depth] = len(c.nodes)
		c.byCode[bare(n.code)] = int32(len(c.nodes))
		c.nodes = append(c.nodes, n)
	}
	if len(c.nodes) == 0 || c.Edition.From == "" || c.Edition.Until == "" {
		return nil, errors.New("the catalogue is empty or does not say which edition it is")
	}
	c.children = make([][]int32, len(c.nodes))
	for i, n := range c.nodes {
		if n.parent >= 0 {
			c.children[n.parent] = append(c.children[n.parent], int32(i))
		}
	}
	for i, n := range c.nodes {
		c.count += 1 + len(n.ext)
		c.billable += len(n.ext)
		if c.leaf(i) && n.depth >= 2 {
			c.billable++
		}
	}
	return c, nil
}

// Count returns the number of entries (headings and codes) and of billable codes.
func (c *Catalogue) Count() (entries, billable int) { return c.count, c.billable }

// Titles yields the title of every heading and code, each as often as it stands.
func (c *Catalogue) Titles() iter.Seq[string] {
	return func(yield func(string) bool) {
		for _, n := range c.nodes {
			if !yield(n.title) {
				return
			}
		}
	}
}

func (c *Catalogue) leaf(i int) bool { return len(c.children[i]) == 0 && c.nodes[i].ext == "" }

func bare(code string) string {
	return strings.ToUpper(strings.ReplaceAll(strings.TrimSpace(code), ".", ""))
}

func dotted(code string) string {
	if len(code) > 3 {
		return code[:3] + "." + code[3:]
	}
	return code
}

// find returns the node of a code and, for a code completed by a seventh
// character, that character.
func (c *Catalogue) find(code string) (i int32, ext byte, ok bool) {
	b := bare(code)
	if i, ok := c.byCode[b]; ok {
		return i, 0, true
	}
	if len(b) == 7 {
		stem, e := b[:6], b[6]
		for l := 6; l >= 3; l-- {
			if i, ok := c.byCode[stem[:l]]; ok && strings.Trim(stem[l:], "X") == "" {
				if strings.IndexByte(c.nodes[i].ext, e) >= 0 {
					return i, e, true
				}
				return 0, 0, false
			}
		}
	}
	return 0, 0, false
}

func (c *Catalogue) entry(i int32, ext byte) Entry {
	n := c.nodes[i]
	if ext == 0 {
		return Entry{Code: n.code, Title: n.title, Billable: n.depth >= 2 && c.leaf(int(i)), Depth: n.depth}
	}
	b := bare(n.code)
	b += strings.Repeat("X", 6-len(b)) + string(ext)
	return Entry{Code: dotted(b), Title: n.title + ", " + c.extText(int(i), ext), Billable: true, Depth: n.depth + 1}
}

// extText is the meaning of a seventh character, defined at the code or the
// nearest heading above it.
func (c *Catalogue) extText(i int, ext byte) string {
	for ; i >= 0; i = c.nodes[i].parent {
		for _, raw := range strings.Split(c.nodes[i].notes, "\x1f") {
			if len(raw) > 2 && raw[0] == 'x' && raw[1] == ext {
				return raw[2:]
			}
		}
	}
	return "seventh character " + string(ext)
}

// Lookup finds a code or heading, with or without dot, in any case.
func (c *Catalogue) Lookup(code string) (Entry, bool) {
	i, ext, ok := c.find(code)
	if !ok {
		return Entry{}, false
	}
	return c.entry(i, ext), true
}

// Open returns what stands directly under a heading; for a code that needs a
// seventh character, the completed codes.
func (c *Catalogue) Open(code string) []Entry {
	i, ext, ok := c.find(code)
	if !ok || ext != 0 {
		return nil
	}
	out := make([]Entry, 0, len(c.children[i])+len(c.nodes[i].ext))
	for _, k := range c.children[i] {
		out = append(out, c.entry(k, 0))
	}
	for e := range len(c.nodes[i].ext) {
		out = append(out, c.entry(i, c.nodes[i].ext[e]))
	}
	return out
}

// Areas lists the chapters, to browse by area of the body or field.
func (c *Catalogue) Areas() []Entry {
	var out []Entry
	for i, n := range c.nodes {
		if n.depth == 0 {
			out = append(out, c.entry(int32(i), 0))
		}
	}
	return out
}

// BillableUnder returns every billable code under a heading, in tabular order;
// for a billable code, that code alone.
func (c *Catalogue) BillableUnder(code string) []Entry {
	e, ok := c.Lookup(code)
	if !ok {
		return nil
	}
	if e.Billable {
		return []Entry{e}
	}
	var out []Entry
	for _, k := range c.Open(code) {
		out = append(out, c.BillableUnder(k.Code)...)
	}
	return out
}

// Notes returns the instructional notes that govern a code: its own first, then
// those of each heading above it.
func (c *Catalogue) Notes(code string) []Note {
	i, _, ok := c.find(code)
	if !ok {
		return nil
	}
	var out []Note
	for k := int(i); k >= 0; k = c.nodes[k].parent {
		for _, raw := range strings.Split(c.nodes[k].notes, "\x1f") {
			if len(raw) > 1 && kinds[raw[0]] != "" {
				out = append(out, Note{Code: c.nodes[k].code, Kind: kinds[raw[0]], Text: raw[1:]})
			}
		}
	}
	return out
}

// Library holds the editions at hand and picks the one for a date of service.
type Library struct {
	editions []*Catalogue // by From, ascending
}

// NewLibrary makes a library of editions, in any order.
func NewLibrary(cs ...*Catalogue) *Library {
	l := &Library{editions: cs}
	sort.Slice(cs, func(i, j int) bool { return cs[i].Edition.From < cs[j].Edition.From })
	return l
}

// On returns the edition for a date of service (YYYY-MM-DD). When none covers the
// date, it returns the latest that began before it (or the earliest there is) and
// a warning that says so; the warning is empty otherwise.
func (l *Library) On(date string) (c *Catalogue, warning string) {
	for k := len(l.editions) - 1; k >= 0; k-- {
		if l.editions[k].Edition.CoversDate(date) {
			return l.editions[k], ""
		}
	}
	for k := len(l.editions) - 1; k >= 0; k-- {
		e := l.editions[k].Edition
		if e.From <= date {
			return l.editions[k], fmt.Sprintf("Codes are from the %s edition, in force until %s. A later edition applies on %s: load it, or "+
				"check the code by hand.", e.Name, e.Until, date)
		}
	}
	e := l.editions[0].Edition
	return l.editions[0], fmt.Sprintf("Codes are from the %s edition, in force from %s. An earlier edition applied on %s: check the code by hand.", e.Name, e.From, date)
}

// ErrNotBillable and ErrNoSuchCode are why Check refuses a code.
var (
	ErrNoSuchCode  = errors.New("there is no such code in this edition")
	ErrNotBillable = errors.New("this is a heading: choose one of the codes under it")
)

// Check returns the entry of a code that may stand on a note on a date of
// service, the name of the edition used and a warning when that edition does
// not cover the date.
func (l *Library) Check(code, date string) (e Entry, edition, warning string, err error) {
	c, warning := l.On(date)
	e, ok := c.Lookup(code)
	if !ok {
		return Entry{}, c.Edition.Name, warning, fmt.Errorf("%s: %w", code, ErrNoSuchCode)
	}
	if !e.Billable {
		return e, c.Edition.Name, warning, fmt.Errorf("%s: %w", e.Code, ErrNotBillable)
	}
	return e, c.Edition.Name, warning, nil
}
