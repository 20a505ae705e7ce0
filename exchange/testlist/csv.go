// Package testlist reads and writes the test lists of laboratories in two open forms: a
// folder of CSV files (RFC 4180, UTF-8) and a FHIR R4 bundle of catalogue resources. The
// forms are described in docs/testlists.md.
package testlist

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"deftledger/core/order"
)

// columns of each file of a list, those that must be there; sites may be left out as a file.
var columns = map[string]string{
	"laboratory.csv": "id,name,facility,clia,phone,fax,address,takes,edition,source",
	"sites.csv":      "code,name,address,phone,hours",
	"containers.csv": "code,name,specimen,draw,yield_ml,shared",
	"questions.csv":  "code,words,kind,required,choices,unit,low,high,when",
	"analytes.csv":   "code,name,loinc,unit,expected",
	"ranges.csv":     "analyte,sex,from,below,low,high",
	"tests.csv": "code,name,also,loinc,container,volume_ml,minimum_ml,keep,handling,fasting_h,turnaround_h,reflex,price_usd," +
		"analytes,questions",
}

// row is one row of a file by the names of its columns. What does not read as a number is
// kept as the row's fault.
type row struct {
	order.Place
	cells map[string]string
	err   error
}

func (r *row) text(column string) string { return strings.TrimSpace(r.cells[column]) }

// several reads a cell with parts between semicolons.
func (r *row) several(column string) (out []string) {
	for _, x := range strings.Split(r.text(column), ";") {
		if x = strings.TrimSpace(x); x != "" {
			out = append(out, x)
		}
	}
	return out
}

// number reads a cell as a number with a point; none for an empty one.
func (r *row) number(column string, none float64) float64 {
	return r.parse(column, r.text(column), none)
}

func (r *row) parse(column, text string, none float64) float64 {
	if text == "" {
		return none
	}
	x, err := strconv.ParseFloat(text, 64)
	if err != nil || strings.ContainsAny(text, "xXnN_") {
		r.fault("%s is %q, which is no number with a point", column, text)
		return none
	}
	return x
}

func (r *row) whole(column string, none int) int {
	x := r.number(column, float64(none))
	if x != float64(int(x)) {
		r.fault("%s is %q, which is no whole number", column, r.text(column))
	}
	return int(x)
}

func (r *row) cents(column string) int {
	text := r.text(column)
	if text == "" {
		return -1
	}
	whole, part, _ := strings.Cut(text, ".")
	if len(part) == 1 {
		part += "0"
	}
	if part == "" {
		part = "00"
	}
	n, err := strconv.Atoi(whole + part)
	if err != nil || n < 0 || len(part) != 2 {
		r.fault("%s is %q, which is no amount such as 18.50", column, text)
		return -1
	}
	return n
}

func (r *row) yes(column string) bool {
	switch r.text(column) {
	case "yes":
		return true
	case "no", "":
		return false
	}
	r.fault("%s is %q; write yes or no", column, r.text(column))
	return false
}

func (r *row) fault(format string, args ...any) {
	r.err = errors.Join(r.err, r.Fault(format, args...))
}

// ReadCSV reads the folder of a list. Every fault is told with file and line; nothing of a
// faulty list is used.
func ReadCSV(files fs.FS, dir string) (order.Laboratory, error) {
	var l order.List
	var faults []error
	each := func(name string, take func(r *row)) {
		rows, err := readFile(files, path.Join(dir, name), name)
		if err != nil {
			faults = append(faults, err)
		}
		for i := range rows {
			take(&rows[i])
			faults = append(faults, rows[i].err)
		}
	}
	n := 0
	each("laboratory.csv", func(r *row) {
		if n++; n > 1 {
			r.fault("a list is of one laboratory")
			return
		}
		l.Place = r.Place
		l.Laboratory = order.Laboratory{ID: r.text("id"), Name: r.text("name"), Facility: r.text("facility"), CLIA: r.text("clia"), Phone: r.text("phone"),
			Fax: r.text("fax"), Address: r.text("address"), Takes: order.Takes(r.text("takes")), Edition: r.text("edition"), Source: r.text("source")}
	})
	if n == 0 && errors.Join(faults...) == nil {
		faults = append(faults, errors.New("laboratory.csv: it does not name the laboratory"))
	}
	each("sites.csv", func(r *row) {
		l.Laboratory.Sites = append(l.Laboratory.Sites, order.Site{Place: r.Place, Code: r.text("code"), Name: r.text("name"), Address: r.text("address"),
			Phone: r.text("phone"), Hours: r.text("hours")})
	})
	each("containers.csv", func(r *row) {
		l.Laboratory.Containers = append(l.Laboratory.Containers, order.Container{Place: r.Place, Code: r.text("code"), Name: r.text("name"),
			Specimen: r.text("specimen"), Draw: r.whole("draw", 0), Yield: r.number("yield_ml", 0), Shared: r.yes("shared")})
	})
	each("questions.csv", func(r *row) { l.Questions = append(l.Questions, r.question()) })
	each("analytes.csv", func(r *row) {
		l.Analytes = append(l.Analytes, order.Analyte{Place: r.Place, Code: r.text("code"), Name: r.text("name"), LOINC: r.text("loinc"), Unit: r.text("unit"),
			Expected: r.text("expected")})
	})
	each("ranges.csv", func(r *row) {
		l.Ranges = append(l.Ranges, order.ListedRange{Analyte: r.text("analyte"), Range: order.Range{Place: r.Place, Sex: r.text("sex"),
			From: order.Age(r.text("from")), Below: order.Age(r.text("below")), Low: r.text("low"), High: r.text("high")}})
	})
	each("tests.csv", func(r *row) { l.Tests = append(l.Tests, r.test()) })
	if err := errors.Join(faults...); err != nil {
		return order.Laboratory{}, err
	}
	return order.NewLaboratory(l)
}

func (r *row) question() order.EntryQuestion {
	q := order.EntryQuestion{Place: r.Place, Code: r.text("code"), Words: r.text("words"), Kind: order.AnswerKind(r.text("kind")), Required: r.yes("required"),
		Choices: r.several("choices"), Unit: r.text("unit"), Low: r.text("low"), High: r.text("high")}
	if q.Choices == nil {
		q.Choices = []string{}
	}
	if when := r.text("when"); when != "" {
		on, answer, ok := strings.Cut(when, "=")
		if !ok {
			r.fault("it is asked when %q; write QUESTION=answer", when)
		}
		q.When = order.When{Question: strings.TrimSpace(on), Answer: strings.TrimSpace(answer)}
	}
	return q
}

func (r *row) test() order.ListedTest {
	t := order.ListedTest{Test: order.Test{Place: r.Place, Code: r.text("code"), Name: r.text("name"), LOINC: r.text("loinc"), Also: r.several("also"),
		Handling: r.text("handling"), Fasting: r.whole("fasting_h", 0), Turnaround: r.whole("turnaround_h", 0), Reflex: r.text("reflex"),
		Price: r.cents("price_usd")}, Analytes: r.several("analytes"), Questions: r.several("questions")}
	volumes, least := r.several("volume_ml"), r.several("minimum_ml")
	containers := r.several("container")
	if len(containers) == 0 {
		r.fault("%s says no container", t.Code)
	}
	of := func(column string, all []string, i int) float64 {
		switch {
		case len(all) == 0:
			return 0
		case len(all) == len(containers):
			return r.parse(column, all[i], 0)
		}
		r.fault("%s has %d values for %d containers", column, len(all), len(containers))
		return 0
	}
	for i, c := range containers {
		t.Needs = append(t.Needs, order.Need{Container: c, Volume: of("volume_ml", volumes, i), Minimum: of("minimum_ml", least, i), Keep: r.text("keep")})
	}
	return t
}

// readFile reads one CSV file: rows by the names of the columns, in any order. Lines that
// begin with # before the heading are remarks.
func readFile(files fs.FS, name, short string) ([]row, error) {
	text, err := fs.ReadFile(files, name)
	if errors.Is(err, fs.ErrNotExist) && short == "sites.csv" {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("%s: the file is missing", short)
	}
	text = bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))
	for i, line := range bytes.Split(text, []byte("\n")) {
		if !utf8.Valid(line) {
			return nil, order.Place{File: short, Line: i + 1}.Fault("the line is not in UTF-8")
		}
	}
	skipped := 0
	for bytes.HasPrefix(text, []byte("#")) {
		_, text, _ = bytes.Cut(text, []byte("\n"))
		skipped++
	}
	in := csv.NewReader(bytes.NewReader(text))
	in.FieldsPerRecord = -1
	var head []string
	var out []row
	for {
		cells, err := in.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		var bad *csv.ParseError
		if errors.As(err, &bad) {
			return nil, order.Place{File: short, Line: bad.StartLine + skipped}.Fault("a quote is not closed, or stands inside a field (%v)", bad.Err)
		}
		line, _ := in.FieldPos(0)
		at := order.Place{File: short, Line: line + skipped}
		if head == nil {
			if head = cells; len(head) > 0 {
				if err := checkHead(at, short, head); err != nil {
					return nil, err
				}
			}
			continue
		}
		if len(cells) != len(head) {
			return nil, at.Fault("the row has %d fields, the heading %d", len(cells), len(head))
		}
		r := row{Place: at, cells: map[string]string{}}
		for i, c := range cells {
			r.cells[head[i]] = c
		}
		out = append(out, r)
	}
	if head == nil {
		return nil, fmt.Errorf("%s: the file is empty", short)
	}
	return out, nil
}

func checkHead(at order.Place, short string, head []string) error {
	want := strings.Split(columns[short], ",")
	for i := range head {
		head[i] = strings.TrimSpace(head[i])
		if !slices.Contains(want, head[i]) {
			return at.Fault("nobody knows the column %q; the columns are %s", head[i], columns[short])
		}
	}
	for _, w := range want {
		if !slices.Contains(head, w) {
			return at.Fault("the column %q is missing", w)
		}
	}
	return nil
}

// WriteCSV writes a list as the files of a folder, by name.
func WriteCSV(l order.Laboratory) (map[string][]byte, error) {
	out := map[string][]byte{}
	write := func(name string, rows [][]string) error {
		var b bytes.Buffer
		w := csv.NewWriter(&b)
		if err := w.WriteAll(append([][]string{strings.Split(columns[name], ",")}, rows...)); err != nil {
			return err
		}
		out[name] = b.Bytes()
		return nil
	}
	amount := func(x float64) string {
		if x == 0 {
			return ""
		}
		return strconv.FormatFloat(x, 'f', -1, 64)
	}
	yes := map[bool]string{true: "yes", false: "no"}
	rows := map[string][][]string{"laboratory.csv": {{l.ID, l.Name, l.Facility, l.CLIA, l.Phone, l.Fax, l.Address, string(l.Takes), l.Edition, l.Source}}}
	for _, s := range l.Sites {
		rows["sites.csv"] = append(rows["sites.csv"], []string{s.Code, s.Name, s.Address, s.Phone, s.Hours})
	}
	for _, c := range l.Containers {
		rows["containers.csv"] = append(rows["containers.csv"], []string{c.Code, c.Name, c.Specimen, strconv.Itoa(c.Draw), amount(c.Yield), yes[c.Shared]})
	}
	analytes, questions := inUse(l)
	for _, q := range questions {
		when := ""
		if q.When.Question != "" {
			when = q.When.Question + "=" + q.When.Answer
		}
		rows["questions.csv"] = append(rows["questions.csv"], []string{q.Code, q.Words, string(q.Kind), yes[q.Required], strings.Join(q.Choices, ";"), q.Unit,
			q.Low, q.High, when})
	}
	for _, a := range analytes {
		rows["analytes.csv"] = append(rows["analytes.csv"], []string{a.Code, a.Name, a.LOINC, a.Unit, a.Expected})
		for _, r := range a.Ranges {
			rows["ranges.csv"] = append(rows["ranges.csv"], []string{a.Code, r.Sex, string(r.From), string(r.Below), r.Low, r.High})
		}
	}
	hours := func(n int) string {
		if n == 0 {
			return ""
		}
		return strconv.Itoa(n)
	}
	for _, t := range l.Tests {
		var containers, volumes, least, as, qs []string
		keep, price := "", ""
		for _, n := range t.Needs {
			containers, volumes, least, keep = append(containers, n.Container), append(volumes, amount(n.Volume)), append(least, amount(n.Minimum)), n.Keep
		}
		for _, a := range t.Analytes {
			as = append(as, a.Code)
		}
		for _, q := range t.Questions {
			qs = append(qs, q.Code)
		}
		if t.Price >= 0 {
			price = order.Dollars(t.Price)
		}
		rows["tests.csv"] = append(rows["tests.csv"], []string{t.Code, t.Name, strings.Join(t.Also, ";"), t.LOINC, strings.Join(containers, ";"),
			strings.Join(volumes, ";"), strings.Join(least, ";"), keep, t.Handling, hours(t.Fasting), hours(t.Turnaround), t.Reflex, price,
			strings.Join(as, ";"), strings.Join(qs, ";")})
	}
	for name := range columns {
		if err := write(name, rows[name]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// inUse lists the analytes and questions that the tests of a list name, each once.
func inUse(l order.Laboratory) (analytes []order.Analyte, questions []order.EntryQuestion) {
	seen := map[string]bool{}
	for _, t := range l.Tests {
		for _, a := range t.Analytes {
			if !seen["a"+a.Code] {
				analytes = append(analytes, a)
			}
			seen["a"+a.Code] = true
		}
		for _, q := range t.Questions {
			if !seen["q"+q.Code] {
				questions = append(questions, q)
			}
			seen["q"+q.Code] = true
		}
	}
	return analytes, questions
}
