// Package forms reads the files that make up the clinic's own ways of documenting:
// the list of body systems, interviews (FHIR Questionnaire with text templates
// beside it), kinds of visit, snippets, sets, letters, leaflets and the table of
// services. What is wrong is told with its line.
package forms

import (
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"io"
	"slices"
	"strings"
	"unicode"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/token"

	"deftledger/core/chart"
	"deftledger/core/note"
)

// Limit is the greatest size of one file, in bytes.
const Limit = 512 << 10

// Fault is what is wrong in a file, and where. Line counts from 1; 0 when it
// concerns the file as a whole.
type Fault struct {
	File    string
	Line    int
	Message string
}

func (f *Fault) Error() string {
	if f.Line == 0 {
		return f.File + ": " + f.Message
	}
	return fmt.Sprintf("%s, line %d: %s", f.File, f.Line, f.Message)
}

// decode reads YAML (of which JSON is a part). strict refuses unknown names.
func decode(file, text string, strict bool, into any) error {
	if len(text) > Limit {
		return &Fault{file, 0, fmt.Sprintf("the file is larger than %d KB", Limit>>10)}
	}
	for _, t := range lexer.Tokenize(text) {
		if t.Type == token.AnchorType || t.Type == token.AliasType {
			return &Fault{file, t.Position.Line, "references within the file (& and *) are not taken; write it out"}
		}
	}
	var options []yaml.DecodeOption
	if strict {
		options = append(options, yaml.Strict())
	}
	d := yaml.NewDecoder(strings.NewReader(text), options...)
	err := d.Decode(into)
	if errors.Is(err, io.EOF) {
		return &Fault{file, 0, "the file is empty"}
	}
	var y yaml.Error
	if errors.As(err, &y) {
		line := 0
		if t := y.GetToken(); t != nil && t.Position != nil {
			line = t.Position.Line
		}
		return &Fault{file, line, y.GetMessage()}
	}
	if err != nil {
		return &Fault{file, 0, err.Error()}
	}
	return nil
}

// encode writes a value as YAML, leaving out what is empty.
func encode(v any) (string, error) {
	b, err := yaml.MarshalWithOptions(v, yaml.OmitEmpty())
	return string(b), err
}

// located turns a fault of the content into one with the line where it stands.
func located(file, text string, err error) error {
	var f *note.Fault
	if err == nil || !errors.As(err, &f) {
		return err
	}
	return &Fault{file, lineOf(text, f.At), f.Message}
}

func lineOf(text, at string) int {
	if at == "" {
		return 0
	}
	for _, form := range []string{`"linkId": "` + at + `"`, `id: ` + at, `key: ` + at, `"` + at + `"`, at} {
		if i := strings.Index(text, form); i >= 0 {
			return 1 + strings.Count(text[:i], "\n")
		}
	}
	return 0
}

// Systems reads the list of body systems.
func Systems(file, text string) (*note.Systems, error) {
	s := &note.Systems{}
	if err := decode(file, text, true, s); err != nil {
		return nil, err
	}
	return s, located(file, text, s.Prepare())
}

// Interview reads an interview: the questionnaire, and the prose beside it.
func Interview(id string, version int, questionnaire, prose string, s *note.Systems) (*note.Interview, error) {
	v := &note.Interview{ID: id, Version: version}
	if err := decode("questionnaire", questionnaire, false, &v.Questions); err != nil {
		return nil, err
	}
	if err := decode("prose", prose, true, &v.Prose); err != nil {
		return nil, err
	}
	if v.Prose.Interview != "" && v.Prose.Interview != id {
		return nil, &Fault{"prose", lineOf(prose, "interview:"), fmt.Sprintf("the prose is that of %q, not of %q", v.Prose.Interview, id)}
	}
	err := v.Prepare(s)
	var f *note.Fault
	if errors.As(err, &f) {
		if line := lineOf(questionnaire, f.At); line > 0 && !slices.Contains(v.Prose.Prose, f.At) {
			return nil, &Fault{"questionnaire", line, f.Message}
		}
		return nil, located("prose", prose, err)
	}
	return v, err
}

// Kinds reads the kinds of visit.
func Kinds(file, text string, s *note.Systems) ([]note.VisitKind, error) {
	var f struct {
		Version int              `yaml:"version"`
		Kinds   []note.VisitKind `yaml:"kinds"`
	}
	if err := decode(file, text, true, &f); err != nil {
		return nil, err
	}
	seen := map[string]bool{}
	for i := range f.Kinds {
		k := &f.Kinds[i]
		if err := k.Check(s); err != nil {
			return nil, located(file, text, err)
		}
		if seen[k.ID] {
			return nil, &Fault{file, lineOf(text, k.ID), fmt.Sprintf("%q stands twice", k.ID)}
		}
		seen[k.ID] = true
	}
	if len(f.Kinds) == 0 {
		return nil, &Fault{file, 0, "there is no kind of visit in it"}
	}
	return f.Kinds, nil
}

// Snippets reads snippets.
func Snippets(file, text string) ([]note.Snippet, error) {
	var f struct {
		Version  int            `yaml:"version"`
		Snippets []note.Snippet `yaml:"snippets"`
	}
	if err := decode(file, text, true, &f); err != nil {
		return nil, err
	}
	seen := map[string]bool{}
	for _, s := range f.Snippets {
		if err := s.Check(); err != nil {
			return nil, located(file, text, err)
		}
		if seen[s.Key] {
			return nil, &Fault{file, lineOf(text, s.Key), fmt.Sprintf("the key %q stands twice", s.Key)}
		}
		seen[s.Key] = true
	}
	return f.Snippets, nil
}

// AddOption adds an answer to a question of a questionnaire and leaves the rest of
// the file as it is, line by line.
func AddOption(questionnaire, link, words string) (string, error) {
	var tree map[string]any
	if err := json.Unmarshal([]byte(questionnaire), &tree); err != nil {
		return "", &Fault{"questionnaire", 0, "it is not JSON"}
	}
	marker := `"linkId": "` + link + `"`
	at := strings.Index(questionnaire, marker)
	if at < 0 {
		return "", fmt.Errorf("the question %q is not there", link)
	}
	rest := questionnaire[at:]
	key := `"answerOption": [`
	open := strings.Index(rest, key)
	if next := strings.Index(rest[len(marker):], `"linkId"`); open < 0 || next >= 0 && next+len(marker) < open {
		return "", fmt.Errorf("the question %q offers no answers to choose from", link)
	}
	depth, end := 0, -1
	for i, r := range rest[open+len(key)-1:] {
		switch r {
		case '[':
			depth++
		case ']':
			if depth--; depth == 0 && end < 0 {
				end = open + len(key) - 1 + i
			}
		}
	}
	if end < 0 {
		return "", fmt.Errorf("the answers of %q are not closed", link)
	}
	option, err := json.Marshal(map[string]any{"valueCoding": map[string]string{"code": Name(words), "display": words}})
	if err != nil {
		return "", err
	}
	if strings.Contains(rest[open:end], `"code": "`+Name(words)+`"`) || strings.Contains(rest[open:end], `"code":"`+Name(words)+`"`) {
		return "", fmt.Errorf("%q is offered already", words)
	}
	sep := ", "
	if strings.TrimSpace(rest[open+len(key):end]) == "" {
		sep = ""
	}
	return questionnaire[:at] + rest[:end] + sep + string(option) + rest[end:], nil
}

// mostName is how long a name made from words is at most.
const mostName = 36

// Name makes a name of small letters, digits and hyphens from words, however long they are;
// letters of other alphabets give a name of their own, and words without any letter none.
func Name(words string) string {
	var b strings.Builder
	for _, r := range chart.Plain(words) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	name := strings.Trim(b.String(), "-")
	if name == "" && strings.ContainsFunc(words, unicode.IsLetter) {
		h := fnv.New32a()
		_, _ = h.Write([]byte(chart.Plain(words)))
		return fmt.Sprintf("x-%08x", h.Sum32())
	}
	if len(name) > mostName {
		name = name[:mostName]
		if at := strings.LastIndexByte(name, '-'); at > mostName/2 {
			name = name[:at]
		}
	}
	return strings.Trim(name, "-")
}
