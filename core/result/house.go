package result

import (
	"fmt"
	"slices"
	"strings"

	"deftledger/core/chart"
)

// HouseTest is a test done in the practice itself.
type HouseTest struct {
	Code     string         `json:"code" yaml:"code"`
	Name     string         `json:"name" yaml:"name"`
	LOINC    string         `json:"loinc" yaml:"loinc"`
	Specimen string         `json:"specimen" yaml:"specimen"`
	Also     []string       `json:"also" yaml:"also"` // other words it is asked for by
	Analytes []HouseAnalyte `json:"analytes" yaml:"analytes"`
}

// HouseAnalyte is one value of a test done in the practice: chosen from Choices, or
// a number in Unit (UCUM) between Least and Most, the span the device can show.
type HouseAnalyte struct {
	Code    string   `json:"code" yaml:"code"`
	Name    string   `json:"name" yaml:"name"`
	LOINC   string   `json:"loinc" yaml:"loinc"`
	Choices []string `json:"choices" yaml:"choices"`
	Normal  string   `json:"normal" yaml:"normal"` // the choice that is not flagged; "" where no choice is abnormal in itself
	Unit    string   `json:"unit" yaml:"unit"`
	Low     string   `json:"low" yaml:"low"`
	High    string   `json:"high" yaml:"high"`
	Least   string   `json:"least" yaml:"least"`
	Most    string   `json:"most" yaml:"most"`
}

// Enter reads what was typed for a test, by code of the analyte, into final values
// with range and flag. The texts stay as typed. The error names the first analyte
// that cannot be so.
func (t HouseTest) Enter(texts map[string]string) ([]Value, error) {
	var out []Value
	for _, a := range t.Analytes {
		text := strings.TrimSpace(texts[a.Code])
		if text == "" {
			continue
		}
		v := Value{Code: a.Code, Name: a.Name, LOINC: a.LOINC, Text: text, Unit: a.Unit, Range: chart.Span(a.Low, a.High), Status: "F"}
		if len(a.Choices) > 0 {
			if !slices.Contains(a.Choices, text) {
				return nil, fmt.Errorf("%s: choose %s", a.Name, strings.Join(a.Choices, ", "))
			}
			if a.Normal != "" {
				v.Range = a.Normal
				if text != a.Normal {
					v.Flag = "A"
				}
			}
			out = append(out, v)
			continue
		}
		if err := a.possible(text); err != nil {
			return nil, err
		}
		switch Read(text, v.Range) {
		case Above:
			v.Flag = "H"
		case Below:
			v.Flag = "L"
		}
		out = append(out, v)
	}
	for code := range texts {
		if !slices.ContainsFunc(t.Analytes, func(a HouseAnalyte) bool { return a.Code == code }) {
			return nil, fmt.Errorf("%s has no value %q", t.Name, code)
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("enter what %s showed", t.Name)
	}
	return out, nil
}

// possible says whether the device can show a number. Beyond its span it shows
// "<" with its least or ">" with its most.
func (a HouseAnalyte) possible(text string) error {
	beyond := text == "<"+a.Least || text == ">"+a.Most
	n, ok := number(text)
	least, _ := number(a.Least)
	most, _ := number(a.Most)
	if beyond || ok && n.Cmp(least) >= 0 && n.Cmp(most) <= 0 && !strings.ContainsAny(text, "+") {
		return nil
	}
	return fmt.Errorf("%s: %q cannot be; a number from %s to %s, or <%s or >%s, as the device shows it", a.Name, text, a.Least, a.Most,
		a.Least, a.Most)
}

// Sentence says a result in the words of a note: "Urine dipstick: leukocyte
// esterase 2+, nitrite positive."
func Sentence(title string, values []Value) string {
	if len(values) == 1 {
		return title + " " + strings.TrimSpace(values[0].Text+" "+plainUnit(values[0].Unit)) + "."
	}
	parts := make([]string, len(values))
	for i, v := range values {
		name := v.Name
		if r := []rune(name); len(r) > 1 && r[1] >= 'a' && r[1] <= 'z' && r[0] != 'p' {
			name = strings.ToLower(name[:1]) + name[1:]
		}
		parts[i] = strings.TrimSpace(name + " " + v.Text + " " + plainUnit(v.Unit))
	}
	return title + ": " + strings.Join(parts, ", ") + "."
}

// plainUnit leaves out units that only say that there is none.
func plainUnit(u string) string {
	if strings.HasPrefix(u, "{") || strings.HasPrefix(u, "[pH") {
		return ""
	}
	return u
}

// FindHouse returns the tests whose name or other words begin with every word asked for.
func FindHouse(tests []HouseTest, query string) []HouseTest {
	out := []HouseTest{}
	for _, t := range tests {
		if chart.WordsBegin(t.Name+" "+t.Code+" "+strings.Join(t.Also, " "), query) {
			out = append(out, t)
		}
	}
	return out
}
