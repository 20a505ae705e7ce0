// Package rulefile reads the files of the rulebook: one rule a file and the sets that rules
// speak of, as YAML (docs/rules.md). What is wrong is told with its line and what to do; a file with a
// fault gives no rule.
package rulefile

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"
	"go.yaml.in/yaml/v3"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"deftledger/core/reminder"
	"deftledger/data"
)

// Limit is the largest file that is taken, in bytes.
const Limit = 256 << 10

// Fault is what is wrong in a file, and where. Line counts from 1; 0 for the file as a whole.
type Fault struct {
	File   string `json:"file"`
	Line   int    `json:"line"`
	Reason string `json:"reason"`
}

// Error says it with its place.
func (f Fault) Error() string {
	if f.Line == 0 {
		return f.File + ": " + f.Reason
	}
	return fmt.Sprintf("%s, line %d: %s", f.File, f.Line, f.Reason)
}

// File is a rule as it was read, and its text, in which later faults find their line.
type File struct {
	Name string
	Text []byte
	Rule reminder.Rule
	tree *yaml.Node
}

// Fault places what the book says against a rule.
func (f File) Fault(x reminder.Fault) Fault {
	return Fault{f.Name, lineOf(f.tree, x.At), strings.TrimPrefix(x.At+": "+x.Reason, ": ")}
}

// schemas are the forms of a rule and of a measure.
var schemas = sync.OnceValues(func() (map[string]*jsonschema.Schema, error) {
	c, out := jsonschema.NewCompiler(), map[string]*jsonschema.Schema{}
	for name, text := range map[string][]byte{"rule.schema.json": data.RuleSchema, "measure.schema.json": data.MeasureSchema} {
		doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
		if err != nil {
			return nil, err
		}
		if err := c.AddResource(name, doc); err != nil {
			return nil, err
		}
	}
	for _, name := range []string{"rule.schema.json", "measure.schema.json"} {
		made, err := c.Compile(name)
		if err != nil {
			return nil, err
		}
		out[name] = made
	}
	return out, nil
})

// Read reads one rule.
func Read(name string, text []byte) (File, []Fault) {
	f := File{Name: name, Text: text}
	tree, faults := parse(name, text)
	if len(faults) > 0 {
		return f, faults
	}
	f.tree = tree
	if faults := f.checkForm("rule.schema.json"); len(faults) > 0 {
		return f, faults
	}
	if err := tree.Decode(&f.Rule); err != nil {
		return f, []Fault{placed(name, err)}
	}
	return f, nil
}

// ReadMeasure reads one measure of quality.
func ReadMeasure(name string, text []byte) (m reminder.Measure, faults []Fault) {
	f := File{Name: name, Text: text}
	if f.tree, faults = parse(name, text); len(faults) > 0 {
		return m, faults
	}
	if faults := f.checkForm("measure.schema.json"); len(faults) > 0 {
		return m, faults
	}
	if err := f.tree.Decode(&m); err != nil {
		return m, []Fault{placed(name, err)}
	}
	if m.ID+".yaml" != path.Base(name) {
		return m, []Fault{{name, lineOf(f.tree, "id"), fmt.Sprintf("the measure is called %q and its file is not", m.ID)}}
	}
	return m, nil
}

// ReadMeasures reads every measure of a folder.
func ReadMeasures(folder fs.FS) (out []reminder.Measure, faults []Fault) {
	names, _ := fs.Glob(folder, "*.yaml")
	for _, name := range names {
		text, err := fs.ReadFile(folder, name)
		if err != nil {
			return out, append(faults, Fault{name, 0, err.Error()})
		}
		m, wrong := ReadMeasure(name, text)
		if faults = append(faults, wrong...); len(wrong) == 0 {
			out = append(out, m)
		}
	}
	return out, faults
}

// ReadSets reads the sets.
func ReadSets(name string, text []byte) (reminder.Sets, []Fault) {
	var s reminder.Sets
	if _, faults := parse(name, text); len(faults) > 0 {
		return s, faults
	}
	if err := strictly(text, &s); err != nil {
		return s, []Fault{placed(name, err)}
	}
	return s, nil
}

// Edition is the immunization schedule that ships as the usual one.
const Edition = "cdc-2025"

// ReadSchedule reads an edition of the immunization schedule.
func ReadSchedule(name string, text []byte) (reminder.Schedule, []Fault) {
	var s reminder.Schedule
	if _, faults := parse(name, text); len(faults) > 0 {
		return s, faults
	}
	if err := strictly(text, &s); err != nil {
		return s, []Fault{placed(name, err)}
	}
	if !named.MatchString(s.Edition) || s.Publisher == "" || s.Title == "" || s.Year < 1990 || s.Year > 2100 {
		return s, []Fault{{name, 1, "an edition needs its name (small letters, digits and hyphens), publisher, title and year"}}
	}
	s.Text = text
	if len(s.Series) == 0 {
		return s, []Fault{{name, 1, "an edition without a series changes nothing"}}
	}
	return s, nil
}

var named = regexp.MustCompile(`^[a-z][a-z0-9-]{1,60}$`)

// IsSchedule says whether a file is an edition of the schedule and no rule.
func IsSchedule(text []byte) bool {
	return bytes.HasPrefix(text, []byte("edition:")) || bytes.Contains(text, []byte("\nedition:"))
}

// WithSchedule is the source with an edition added, or put in the place of the one of its name.
func (s Source) WithSchedule(x reminder.Schedule) (Source, error) {
	if x.Extends != "" {
		i := slices.IndexFunc(s.Schedules, func(o reminder.Schedule) bool { return o.Edition == x.Extends })
		if i < 0 || x.Extends == x.Edition {
			return s, fmt.Errorf("there is no edition %q to extend", x.Extends)
		}
		x = x.Over(s.Schedules[i])
	}
	all := slices.DeleteFunc(slices.Clone(s.Schedules), func(o reminder.Schedule) bool { return o.Edition == x.Edition })
	s.Schedules = append(all, x)
	if s.Schedule.Edition == x.Edition {
		s.Schedule = x
	}
	return s, nil
}

// Under is the source with another edition in use; false where it has none of that name.
func (s Source) Under(edition string) (Source, bool) {
	for _, x := range s.Schedules {
		if x.Edition == edition {
			s.Schedule = x
			return s, true
		}
	}
	return s, false
}

// Source is everything from which a book is made.
type Source struct {
	Files    []File
	Sets     reminder.Sets
	Schedule reminder.Schedule // in use
	// Schedules are all editions, whole: one that extends another stands laid over it.
	Schedules []reminder.Schedule
	Measures  []reminder.Measure
}

// ReadAll reads the sets, the schedule and every rule of a folder.
func ReadAll(folder fs.FS) (out Source, faults []Fault) {
	text, err := fs.ReadFile(folder, "sets.yaml")
	if err != nil {
		return out, []Fault{{"sets.yaml", 0, err.Error()}}
	}
	var wrong []Fault
	out.Sets, wrong = ReadSets("sets.yaml", text)
	faults = append(faults, wrong...)
	editions, _ := fs.Glob(folder, "schedule/*.yaml")
	slices.SortFunc(editions, func(a, b string) int { // the usual one first: others extend it
		return cmp.Or(cmp.Compare(b2n(path.Base(b) == Edition+".yaml"), b2n(path.Base(a) == Edition+".yaml")), strings.Compare(a, b))
	})
	for _, name := range editions {
		text, err := fs.ReadFile(folder, name)
		if err != nil {
			faults = append(faults, Fault{name, 0, err.Error()})
			continue
		}
		x, wrong := ReadSchedule(name, text)
		if faults = append(faults, wrong...); len(wrong) > 0 {
			continue
		}
		if out, err = out.WithSchedule(x); err != nil {
			faults = append(faults, Fault{name, 0, err.Error()})
		}
	}
	if usual, ok := out.Under(Edition); ok {
		out = usual
	}
	names, _ := fs.Glob(folder, "*.yaml")
	slices.Sort(names)
	for _, name := range names {
		if name == "sets.yaml" {
			continue
		}
		text, err := fs.ReadFile(folder, name)
		if err != nil {
			faults = append(faults, Fault{name, 0, err.Error()})
			continue
		}
		f, wrong := Read(name, text)
		if len(wrong) == 0 && f.Rule.ID+".yaml" != path.Base(name) {
			wrong = []Fault{{name, lineOf(f.tree, "id"), fmt.Sprintf("the rule is called %q and its file is not", f.Rule.ID)}}
		}
		faults = append(faults, wrong...)
		if len(wrong) == 0 {
			out.Files = append(out.Files, f)
		}
	}
	return out, faults
}

func b2n(b bool) int {
	if b {
		return 1
	}
	return 0
}

// With is the source with a rule added, or put in the place of the one of its name.
func (s Source) With(f File) Source {
	files := slices.DeleteFunc(slices.Clone(s.Files), func(o File) bool { return o.Rule.ID == f.Rule.ID })
	s.Files = append(files, f)
	return s
}

// Book makes the book of it, with what a practice set for itself.
func (s Source) Book(own map[string]reminder.Own) (*reminder.Book, []Fault) {
	book, faults := Book(s.Files, s.Sets, s.Schedule, own)
	for _, x := range book.WithMeasures(s.Measures) {
		faults = append(faults, Fault{x.Rule + ".yaml", 0, strings.TrimPrefix(x.At+": "+x.Reason, ": ")})
	}
	return book, faults
}

// Book makes the book of files that were read, and places what is wrong with them.
func Book(files []File, sets reminder.Sets, schedule reminder.Schedule, own map[string]reminder.Own) (*reminder.Book, []Fault) {
	var rules []reminder.Rule
	byID := map[string]File{}
	for _, f := range files {
		rules, byID[f.Rule.ID] = append(rules, f.Rule), f
	}
	book, wrong := reminder.NewBook(rules, sets, schedule, own)
	var faults []Fault
	for _, x := range wrong {
		if f, known := byID[x.Rule]; known {
			faults = append(faults, f.Fault(x))
			continue
		}
		faults = append(faults, Fault{"sets.yaml", 0, strings.TrimPrefix(x.At+": "+x.Reason, ": ")})
	}
	return book, faults
}

// strictly reads YAML into a value; a field it does not have is a fault.
func strictly(text []byte, into any) error {
	d := yaml.NewDecoder(bytes.NewReader(text))
	d.KnownFields(true)
	return d.Decode(into)
}

// parse reads the form of a file: its size, that it is YAML without references, one document. A day that nobody
// quoted is text all the same.
func parse(name string, text []byte) (*yaml.Node, []Fault) {
	if len(text) > Limit {
		return nil, []Fault{{name, 0, fmt.Sprintf("the file is larger than %d KB", Limit>>10)}}
	}
	d := yaml.NewDecoder(bytes.NewReader(text))
	var tree, more yaml.Node
	if err := d.Decode(&tree); errors.Is(err, io.EOF) {
		return nil, []Fault{{name, 0, "the file is empty"}}
	} else if err != nil {
		return nil, []Fault{placed(name, err)}
	}
	if err := d.Decode(&more); !errors.Is(err, io.EOF) || len(tree.Content) != 1 {
		return nil, []Fault{{name, 0, "the file holds no rule, or more than one document"}}
	}
	var fault *Fault
	var walk func(n *yaml.Node)
	walk = func(n *yaml.Node) {
		if fault == nil && (n.Anchor != "" || n.Kind == yaml.AliasNode) {
			fault = &Fault{name, n.Line, "references within the file (& and *) are not taken; write it out"}
		}
		if n.Kind == yaml.ScalarNode && n.Tag == "!!timestamp" {
			n.Tag = "!!str"
		}
		for _, c := range n.Content {
			walk(c)
		}
	}
	walk(&tree)
	if fault != nil {
		return nil, []Fault{*fault}
	}
	return tree.Content[0], nil
}

var lineWords = regexp.MustCompile(`(?:yaml: )?(?:unmarshal errors:\s*)?line (\d+): (.*)`)

func placed(name string, err error) Fault {
	says := err.Error()
	if m := lineWords.FindStringSubmatch(says); m != nil {
		line, _ := strconv.Atoi(m[1])
		return Fault{name, line, m[2]}
	}
	return Fault{name, 0, strings.TrimPrefix(says, "yaml: ")}
}

// checkForm holds a file against its schema.
func (f File) checkForm(form string) []Fault {
	all, err := schemas()
	if err != nil {
		return []Fault{{f.Name, 0, err.Error()}}
	}
	s := all[form]
	var whole any
	if err := f.tree.Decode(&whole); err != nil {
		return []Fault{placed(f.Name, err)}
	}
	body, err := json.Marshal(whole)
	if err != nil {
		return []Fault{{f.Name, 0, err.Error()}}
	}
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(body))
	if err != nil {
		return []Fault{{f.Name, 0, err.Error()}}
	}
	var wrong *jsonschema.ValidationError
	if err := s.Validate(doc); !errors.As(err, &wrong) {
		if err != nil {
			return []Fault{{f.Name, 0, err.Error()}}
		}
		return nil
	}
	var out []Fault
	words := message.NewPrinter(language.English)
	var leaves func(e *jsonschema.ValidationError)
	leaves = func(e *jsonschema.ValidationError) {
		if len(e.Causes) == 0 {
			at := address(e.InstanceLocation)
			says := e.ErrorKind.LocalizedString(words)
			switch k := e.ErrorKind.(type) {
			case *kind.AdditionalProperties:
				at = strings.TrimPrefix(at+"."+k.Properties[0], ".")
				says = "there is no such field; look at docs/rules.md for those there are"
			case *kind.Required:
				says = "is missing: " + strings.Join(k.Missing, ", ")
			case *kind.Minimum:
				says = "is less than " + k.Want.RatString()
			case *kind.MinItems:
				says = fmt.Sprintf("has %d, and needs %d at least", k.Got, k.Want)
			case *kind.MaxProperties:
				says = "a condition says one thing, this one says more"
			}
			out = append(out, Fault{f.Name, lineOf(f.tree, at), strings.TrimPrefix(at+": "+says, ": ")})
		}
		for _, c := range e.Causes {
			leaves(c)
		}
	}
	leaves(wrong)
	slices.SortStableFunc(out, func(a, b Fault) int { return a.Line - b.Line })
	return out
}

// address writes where something stands: applies.all[1].age.
func address(parts []string) string {
	var b strings.Builder
	for _, p := range parts {
		if _, err := strconv.Atoi(p); err == nil && b.Len() > 0 {
			b.WriteString("[" + p + "]")
			continue
		}
		if b.Len() > 0 {
			b.WriteByte('.')
		}
		b.WriteString(p)
	}
	return b.String()
}

var parts = regexp.MustCompile(`[^.\[\]]+`)

// lineOf finds the line of a place, or of what it stands in.
func lineOf(tree *yaml.Node, at string) int {
	if tree == nil {
		return 0
	}
	n, line := tree, tree.Line
	for _, part := range parts.FindAllString(at, -1) {
		var next *yaml.Node
		switch n.Kind {
		case yaml.MappingNode:
			for i := 0; i+1 < len(n.Content); i += 2 {
				if n.Content[i].Value == part {
					next, line = n.Content[i+1], n.Content[i].Line
				}
			}
		case yaml.SequenceNode:
			if i, err := strconv.Atoi(part); err == nil && i >= 0 && i < len(n.Content) {
				next = n.Content[i]
				line = next.Line
			}
		}
		if next == nil {
			break
		}
		n = next
	}
	return line
}
