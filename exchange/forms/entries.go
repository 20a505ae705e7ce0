package forms

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
)

// Entry is one entry of a form that holds many: a kind of visit, a snippet, a body
// system, a set, a letter or a leaflet. From and To are its first and last line, counted from 1.
type Entry struct {
	List  string `json:"list"` // kinds, snippets, review, examination, sets, letters or leaflets
	ID    string `json:"id"`
	Title string `json:"title"`
	From  int    `json:"from"`
	To    int    `json:"to"`
}

// lists are the lists that hold entries, with what names and titles an entry.
var lists = map[string][2]string{"kinds": {"id", "name"}, "snippets": {"key", "title"}, "review": {"id", "name"},
	"examination": {"id", "name"}, "sets": {"id", "title"}, "letters": {"id", "title"}, "leaflets": {"id", "title"}}

// Entries lists the entries of a form of kinds of visit, snippets, body systems, sets,
// letters or leaflets.
func Entries(file, text string) ([]Entry, error) {
	var any any
	if err := decode(file, text, false, &any); err != nil {
		return nil, err
	}
	f, err := parser.ParseBytes([]byte(text), 0)
	if err != nil {
		return nil, &Fault{file, 0, yaml.FormatError(err, false, false)}
	}
	lines := strings.Count(strings.TrimRight(text, "\n"), "\n") + 1
	out := []Entry{}
	for _, d := range f.Docs {
		top, ok := d.Body.(*ast.MappingNode)
		if !ok {
			continue
		}
		for _, m := range top.Values {
			if len(out) > 0 { // what came before ends here
				last := &out[len(out)-1]
				last.To = min(last.To, m.Key.GetToken().Position.Line-1)
			}
			names, known := lists[m.Key.String()]
			seq, ok := m.Value.(*ast.SequenceNode)
			if !known || !ok {
				continue
			}
			for i, v := range seq.Values {
				from := v.GetToken().Position.Line
				if mapping, ok := v.(*ast.MappingNode); ok && len(mapping.Values) > 0 {
					from = min(from, mapping.Values[0].Key.GetToken().Position.Line)
				}
				if i > 0 {
					out[len(out)-1].To = from - 1
				}
				e := Entry{List: m.Key.String(), From: from, To: lines}
				if mapping, ok := v.(*ast.MappingNode); ok {
					for _, x := range mapping.Values {
						switch x.Key.String() {
						case names[0]:
							e.ID = plainScalar(x.Value)
						case names[1]:
							e.Title = plainScalar(x.Value)
						}
					}
				}
				out = append(out, e)
			}
		}
	}
	return out, nil
}

func plainScalar(n ast.Node) string {
	if s, ok := n.(*ast.StringNode); ok {
		return s.Value
	}
	return strings.TrimSpace(n.String())
}

var entryName = regexp.MustCompile(`^[a-z0-9]([a-z0-9-]{0,38}[a-z0-9])?$`)

// Copy puts a copy of an entry, under another name and title, right after it and
// leaves the rest of the text as it is, line by line. It returns the copy's first line.
func Copy(file, text, list, id, newID, title string) (string, int, error) {
	if !entryName.MatchString(newID) {
		return "", 0, &Fault{file, 0, "the name of the copy is made of small letters, digits and hyphens"}
	}
	title = strings.Join(strings.Fields(title), " ")
	if title == "" || len(title) > 80 || strings.ContainsAny(title, "\"'\\{}[]:#,&*!|>%@`") {
		return "", 0, &Fault{file, 0, "give the copy a title of up to 80 letters, without quotes, brackets, colons or commas"}
	}
	all, err := Entries(file, text)
	if err != nil {
		return "", 0, err
	}
	if slices.ContainsFunc(all, func(e Entry) bool { return e.List == list && e.ID == newID }) {
		return "", 0, &Fault{file, 0, fmt.Sprintf("%q is there already", newID)}
	}
	i := slices.IndexFunc(all, func(e Entry) bool { return e.List == list && e.ID == id })
	if i < 0 {
		return "", 0, &Fault{file, 0, fmt.Sprintf("%q is not there", id)}
	}
	e := all[i]
	lines := strings.Split(strings.TrimRight(text, "\n"), "\n")
	own := strings.Join(lines[e.From-1:e.To], "\n")
	own = strings.TrimRight(own, "\n ")
	until := "[^\\n]*" // a value ends with its line, in braces with a comma
	if strings.HasPrefix(strings.TrimLeft(own, " -"), "{") {
		until = "[^,}\\n]*"
	}
	rename := func(key, to string) {
		at := regexp.MustCompile(`(?m)(^\s*-?\s*\{?|, ?|^\s+)` + key + `: *("[^"]*"|'[^']*'|` + until + `)`)
		if m := at.FindStringSubmatchIndex(own); m != nil {
			own = own[:m[4]] + to + own[m[5]:]
		}
	}
	rename(lists[list][0], newID)
	rename(lists[list][1], title)
	out := append(slices.Clone(lines[:e.To]), strings.Split(own, "\n")...)
	out = append(out, lines[e.To:]...)
	return strings.Join(out, "\n") + "\n", e.To + 1, nil
}
