package forms

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"deftledger/core/coding"
	"deftledger/core/letter"
	"deftledger/core/note"
	"deftledger/core/order"
)

// many checks the entries of a form one by one: each is sound, none stands twice.
func many[T any](file, text string, all []T, id func(T) string, check func(T) error) ([]T, error) {
	seen := map[string]bool{}
	for _, x := range all {
		if err := check(x); err != nil {
			return nil, &Fault{file, lineOf(text, id(x)), err.Error()}
		}
		if seen[id(x)] {
			return nil, &Fault{file, lineOf(text, id(x)), fmt.Sprintf("%q stands twice", id(x))}
		}
		seen[id(x)] = true
	}
	return all, nil
}

// Sets reads the sets of plan parts.
func Sets(file, text string) ([]order.Set, error) {
	var f struct {
		Version int         `yaml:"version"`
		Sets    []order.Set `yaml:"sets"`
	}
	if err := decode(file, text, true, &f); err != nil {
		return nil, err
	}
	return many(file, text, f.Sets, func(s order.Set) string { return s.ID }, func(s order.Set) error {
		if s.FollowUp != nil {
			if _, _, err := note.Due(s.FollowUp.When, "2026-01-01"); err != nil {
				return fmt.Errorf("when to come back in %q: %w", s.ID, err)
			}
		}
		return s.Check()
	})
}

// Letters reads letter forms.
func Letters(file, text string) ([]letter.Form, error) {
	var f struct {
		Version int           `yaml:"version"`
		Letters []letter.Form `yaml:"letters"`
	}
	if err := decode(file, text, true, &f); err != nil {
		return nil, err
	}
	return many(file, text, f.Letters, func(l letter.Form) string { return l.ID }, letter.Form.Check)
}

// Leaflets reads leaflets.
func Leaflets(file, text string) ([]letter.Leaflet, error) {
	var f struct {
		Version  int              `yaml:"version"`
		Leaflets []letter.Leaflet `yaml:"leaflets"`
	}
	if err := decode(file, text, true, &f); err != nil {
		return nil, err
	}
	return many(file, text, f.Leaflets, func(l letter.Leaflet) string { return l.ID }, letter.Leaflet.Check)
}

// TableLimit is the greatest size of a table of services, in bytes.
const TableLimit = 4 << 20

var (
	serviceCode = regexp.MustCompile(`^([0-9]{4}[0-9A-Z]|[A-Z][0-9]{4})$`)
	columns     = map[string]string{"code": "code", "words": "words", "description": "words", "kind": "kind", "from": "from", "below": "below"}
	sorts       = []string{"visit", "preventive", "service", "supply"}
)

// Services reads the table of services that a clinic may charge by its own licence: text
// in UTF-8 with a line of column names (code, words or description, and if wanted kind,
// from and below), separated by comma, semicolon or tab. Ages are completed months.
func Services(file, text string) ([]coding.Service, error) {
	text = strings.TrimPrefix(text, "\ufeff")
	switch {
	case len(text) > TableLimit:
		return nil, &Fault{file, 0, fmt.Sprintf("the table is larger than %d MB", TableLimit>>20)}
	case !utf8.ValidString(text):
		return nil, &Fault{file, 0, "the table is not in UTF-8; save it again as CSV in UTF-8"}
	}
	head, _, _ := strings.Cut(text, "\n")
	r := csv.NewReader(strings.NewReader(text))
	for _, sep := range ";\t" {
		if strings.ContainsRune(head, sep) {
			r.Comma = sep
		}
	}
	r.FieldsPerRecord = -1
	names, err := r.Read()
	if errors.Is(err, io.EOF) {
		return nil, &Fault{file, 0, "the table is empty; its first line names the columns: code, words"}
	}
	if err != nil {
		return nil, tableFault(file, err)
	}
	at := map[string]int{}
	for i, n := range names {
		c, known := columns[strings.ToLower(strings.TrimSpace(n))]
		if !known {
			return nil, &Fault{file, 1, fmt.Sprintf("the column %q is not known; the columns are code, words, kind, from and below",
				strings.TrimSpace(n))}
		}
		if _, twice := at[c]; twice {
			return nil, &Fault{file, 1, fmt.Sprintf("the column %q stands twice", c)}
		}
		at[c] = i
	}
	for _, c := range []string{"code", "words"} {
		if _, ok := at[c]; !ok {
			return nil, &Fault{file, 1, fmt.Sprintf("the column %q is missing", c)}
		}
	}
	out, seen := []coding.Service{}, map[string]int{}
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return nil, tableFault(file, err)
		}
		line, _ := r.FieldPos(0)
		if len(row) != len(names) {
			return nil, &Fault{file, line, fmt.Sprintf("%d columns instead of %d", len(row), len(names))}
		}
		cell := func(c string) string {
			if i, ok := at[c]; ok {
				return strings.TrimSpace(row[i])
			}
			return ""
		}
		s := coding.Service{Code: strings.ToUpper(cell("code")), Words: cell("words"), Kind: cell("kind")}
		if s.Kind == "" {
			s.Kind = "service"
		}
		for c, into := range map[string]*int{"from": &s.From, "below": &s.Below} {
			if v := cell(c); v != "" {
				n, err := strconv.Atoi(v)
				if err != nil || n < 0 || n > 1440 {
					return nil, &Fault{file, line, fmt.Sprintf("%q in the column %q is no age in completed months", v, c)}
				}
				*into = n
			}
		}
		switch {
		case !serviceCode.MatchString(s.Code):
			return nil, &Fault{file, line, fmt.Sprintf("%q is no code of a service: five characters, such as 99213 or G0402", cell("code"))}
		case s.Words == "" || len(s.Words) > 300:
			return nil, &Fault{file, line, fmt.Sprintf("%s needs words, up to 300 characters", s.Code)}
		case !slices.Contains(sorts, s.Kind):
			return nil, &Fault{file, line, fmt.Sprintf("the kind %q is not known; write %s", s.Kind, strings.Join(sorts, ", "))}
		case s.Below > 0 && s.Below <= s.From:
			return nil, &Fault{file, line, fmt.Sprintf("%s is for ages from %d to below %d months, which is nobody", s.Code, s.From, s.Below)}
		case seen[s.Code] > 0:
			return nil, &Fault{file, line, fmt.Sprintf("%s stands in line %d already", s.Code, seen[s.Code])}
		}
		seen[s.Code] = line
		out = append(out, s)
	}
}

// PutSet puts a set into a form of sets: in the place of the one of the same name, else
// at the end. The rest of the text stays as it is; an empty text becomes a form.
func PutSet(file, text string, s order.Set) (string, error) {
	if strings.TrimSpace(text) == "" {
		text = "version: 1\nsets:\n"
	}
	text = strings.Replace(text, "sets: []", "sets:", 1)
	indent := ""
	if m := firstEntry.FindStringSubmatch(text); m != nil {
		indent = m[1]
	}
	one, err := encode(s)
	if err != nil {
		return "", err
	}
	own := indent + "- " + strings.ReplaceAll(strings.TrimRight(one, "\n"), "\n", "\n"+indent+"  ")
	lines := strings.Split(strings.TrimRight(text, "\n "), "\n")
	from, to := len(lines)+1, len(lines)
	if all, err := Entries(file, text); err == nil {
		if i := slices.IndexFunc(all, func(e Entry) bool { return e.List == "sets" && e.ID == s.ID }); i >= 0 {
			from, to = all[i].From, min(all[i].To, len(lines))
			for to > from && (strings.TrimSpace(lines[to-1]) == "" || strings.HasPrefix(strings.TrimSpace(lines[to-1]), "#")) {
				to-- // a comment before the next entry is that entry's
			}
		}
	}
	out := strings.Join(slices.Concat(lines[:from-1], []string{own}, lines[to:]), "\n") + "\n"
	_, err = Sets(file, out)
	return out, err
}

var firstEntry = regexp.MustCompile(`(?m)^sets:.*\n(?:[ ]*(?:#.*)?\n)*([ ]*)- `)

func tableFault(file string, err error) error {
	var p *csv.ParseError
	if errors.Is(err, csv.ErrBareQuote) || errors.Is(err, csv.ErrQuote) {
		errors.As(err, &p)
		return &Fault{file, p.Line, "a quotation mark stands inside a cell or is not closed; put the cell in quotation marks and double the one inside"}
	}
	if errors.As(err, &p) {
		return &Fault{file, p.Line, p.Err.Error()}
	}
	return &Fault{file, 0, err.Error()}
}
