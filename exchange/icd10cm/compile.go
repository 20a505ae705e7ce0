// Package icd10cm reads the official ICD-10-CM release files (the tabular list
// in XML and the plain code list, both published by CDC/NCHS and CMS and in the
// public domain) and writes the compact form that core/coding loads.
package icd10cm

import (
	"bufio"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"sort"
	"strings"
)

// Release says where a set of official files came from and when its codes are
// valid. From and Until are dates of service, both inclusive, as YYYY-MM-DD.
type Release struct {
	Name, Origin, From, Until string
}

type notes struct {
	Note []string `xml:"note"`
}

type diag struct {
	Name      string  `xml:"name"`
	Desc      string  `xml:"desc"`
	Inclusion []notes `xml:"inclusionTerm"`
	Includes  []notes `xml:"includes"`
	Excludes1 []notes `xml:"excludes1"`
	Excludes2 []notes `xml:"excludes2"`
	CodeFirst []notes `xml:"codeFirst"`
	UseAdd    []notes `xml:"useAdditionalCode"`
	CodeAlso  []notes `xml:"codeAlso"`
	Notes     []notes `xml:"notes"`
	SevenNote []notes `xml:"sevenChrNote"`
	SevenDef  []struct {
		Extension []struct {
			Char string `xml:"char,attr"`
			Text string `xml:",chardata"`
		} `xml:"extension"`
	} `xml:"sevenChrDef"`
	Diag []diag `xml:"diag"`
}

type section struct {
	ID string `xml:"id,attr"`
	diag
}

type chapter struct {
	diag
	Section []section `xml:"section"`
}

type tabular struct {
	XMLName xml.Name  `xml:"ICD10CM.tabular"`
	Version string    `xml:"version"`
	Chapter []chapter `xml:"chapter"`
}

// Compile reads an official tabular list and code list and writes the compact
// catalogue. The code list decides which seventh characters exist for a code;
// the tabular list gives titles, structure and notes. It returns how many
// entries (headings and codes) and how many billable codes the result has.
//
// It fails when either file is not what it should be, and when a code of the
// list cannot be placed in the tabular list: a half catalogue is worse than none.
func Compile(tabularXML, codeList io.Reader, r Release, out io.Writer) (entries, billable int, err error) {
	var t tabular
	if err := xml.NewDecoder(tabularXML).Decode(&t); err != nil {
		return 0, 0, fmt.Errorf("the tabular list is not readable XML: %w", err)
	}
	if len(t.Chapter) < 20 {
		return 0, 0, fmt.Errorf("the tabular list has %d chapters; a full release has at least 20", len(t.Chapter))
	}
	listed := map[string]bool{}
	sc := bufio.NewScanner(codeList)
	for sc.Scan() {
		// Both the bare list (code, title) and the order file (number, code, …) are accepted.
		f := strings.Fields(sc.Text())
		if len(f) == 0 {
			continue
		}
		code := f[0]
		if len(f) > 1 && len(code) == 5 && strings.Trim(code, "0123456789") == "" {
			code = f[1]
		}
		listed[strings.ReplaceAll(code, ".", "")] = true
	}
	if err := sc.Err(); err != nil {
		return 0, 0, fmt.Errorf("the code list cannot be read: %w", err)
	}
	w := &writer{out: bufio.NewWriter(out), listed: listed, stems: map[string][]string{}}
	for code := range listed {
		if len(code) == 7 {
			w.stems[code[:6]] = append(w.stems[code[:6]], code[6:])
		}
	}
	fmt.Fprintf(w.out, "# Generated from the official files by \"deftledger codes load\"; DO NOT EDIT.\n")
	fmt.Fprintf(w.out, "# name\t%s\n# origin\t%s\n# from\t%s\n# until\t%s\n", r.Name, r.Origin, r.From, r.Until)
	for _, c := range t.Chapter {
		w.line("ch"+c.Name, 0, c.Desc, "", c.diag)
		for _, s := range c.Section {
			if len(s.Diag) == 0 {
				continue // a section only announced, with its content elsewhere
			}
			w.line("§"+s.ID, 1, s.Desc, "", s.diag)
			for _, d := range s.Diag {
				w.diag(d, 2)
			}
		}
	}
	placed := w.seen
	for code := range listed {
		if len(code) >= 3 && !strings.Contains(code, "-") && !placed[code] {
			w.missing++
		}
	}
	if w.missing > 0 {
		return 0, 0, fmt.Errorf("%d codes of the code list are not in the tabular list; the two files are not of one release", w.missing)
	}
	if err := w.out.Flush(); err != nil {
		return 0, 0, err
	}
	if w.entries == 0 {
		return 0, 0, errors.New("the tabular list holds no codes")
	}
	return w.entries, w.billable, nil
}

type writer struct {
	out               *bufio.Writer
	listed            map[string]bool
	stems             map[string][]string
	seen              map[string]bool
	entries, billable int
	missing           int
}

func (w *writer) diag(d diag, level int) {
	bare := strings.ReplaceAll(d.Name, ".", "")
	ext := ""
	if len(d.Diag) == 0 && len(bare) < 7 {
		stem := bare + strings.Repeat("X", 6-len(bare))
		chars := w.stems[stem]
		sort.Strings(chars)
		ext = strings.Join(chars, "")
		for _, c := range chars {
			w.mark(stem + c)
			w.entries++
			w.billable++
		}
	}
	if len(d.Diag) == 0 && ext == "" {
		w.billable++
	}
	w.mark(bare)
	w.line(d.Name, level, d.Desc, ext, d)
	for _, k := range d.Diag {
		w.diag(k, level+1)
	}
}

func (w *writer) mark(code string) {
	if w.seen == nil {
		w.seen = map[string]bool{}
	}
	w.seen[code] = true
}

var clean = strings.NewReplacer("\t", " ", "\n", " ", "\r", " ", "\x1f", " ")

func squash(s string) string { return strings.Join(strings.Fields(clean.Replace(s)), " ") }

// line writes code, level, title, seventh characters and notes, parted by tabs;
// notes are joined by 0x1F, each with a leading letter that says its kind.
func (w *writer) line(code string, level int, title, ext string, d diag) {
	w.entries++
	var ns []string
	add := func(kind string, groups []notes) {
		for _, g := range groups {
			for _, n := range g.Note {
				ns = append(ns, kind+squash(n))
			}
		}
	}
	add("i", d.Inclusion)
	add("n", d.Includes)
	add("1", d.Excludes1)
	add("2", d.Excludes2)
	add("f", d.CodeFirst)
	add("a", d.UseAdd)
	add("s", d.CodeAlso)
	add("t", d.Notes)
	for _, def := range d.SevenDef {
		for _, e := range def.Extension {
			ns = append(ns, "x"+e.Char+squash(e.Text))
		}
	}
	fmt.Fprintf(w.out, "%s\t%d\t%s\t%s\t%s\n", code, level, squash(title), ext, strings.Join(ns, "\x1f"))
}
