package result

import (
	"regexp"
	"strconv"
	"strings"

	"deftledger/core/chart"
)

var fillField = regexp.MustCompile(`\{(value ([^{}|]+)|out of range|all values)\}`)

// Fill writes the values of reports into the fields of a text: {value Potassium} by the name of the analyte or its LOINC code,
// {out of range} for all that stand out, {all values}. What is not there, is no value, or is there twice stays an open field, so that
// whoever writes sees that it was not filled.
func Fill(text string, values []Value) string {
	said := func(v Value) string {
		out := strings.TrimSpace(v.Text + " " + chart.ShownUnit(v.Unit))
		switch s := Stand(v); {
		case s.Side == Above:
			out += ", above the range"
		case s.Side == Below:
			out += ", below the range"
		case s.Abnormal:
			out += ", marked by the laboratory"
		}
		return out
	}
	return fillField.ReplaceAllStringFunc(text, func(field string) string {
		m := fillField.FindStringSubmatch(field)
		var found []string
		for _, v := range values {
			if !Live(v.Status) || strings.TrimSpace(v.Text) == "" {
				continue
			}
			s := Stand(v)
			switch name := strings.TrimSpace(m[2]); {
			case name != "" && (chart.Fold(v.Name) == chart.Fold(name) || v.LOINC == name):
				found = append(found, said(v))
			case m[1] == "all values", m[1] == "out of range" && (s.Abnormal || s.Side == Above || s.Side == Below):
				found = append(found, v.Name+" "+said(v))
			}
		}
		switch {
		case m[2] != "" && len(found) != 1, m[1] == "all values" && len(found) == 0:
			return "{" + strings.TrimSpace(strings.TrimPrefix(m[1], "value ")) + "}"
		case len(found) == 0:
			return "{out of range}" // what nobody judged is not in range
		}
		return strings.Join(found, "; ")
	})
}

// Line writes a report as one line of a note: what stands out, and what nobody judged, with its value; the rest is counted only where each
// was judged in range.
func Line(title, day, performer string, values []Value) string {
	head := title
	if day != "" {
		head += " of " + day
	}
	if performer != "" {
		head += " (" + performer + ")"
	}
	var out []string
	in, gone := 0, 0
	for _, v := range values {
		said := strings.TrimSpace(v.Name + " " + strings.TrimSpace(v.Text+" "+chart.ShownUnit(v.Unit)))
		around := ""
		if v.Range != "" {
			around = " " + v.Range
		}
		switch s := Stand(v); {
		case !Live(v.Status) || strings.TrimSpace(v.Text) == "":
			gone++
		case s.Side == Above:
			out = append(out, said+", above the range"+around)
		case s.Side == Below:
			out = append(out, said+", below the range"+around)
		case s.Abnormal:
			out = append(out, said+", marked by the laboratory")
		case s.Side == In:
			in++
		default:
			out = append(out, said+", not judged")
		}
	}
	switch {
	case len(out) == 0 && in == 0:
		return head + ": see the report."
	case len(out) == 0 && gone == 0 && in == 1:
		v := values[0]
		return head + ": " + strings.TrimSpace(v.Text+" "+chart.ShownUnit(v.Unit)) + ", in range."
	case in > 0:
		out = append(out, map[bool]string{true: "all ", false: "the other "}[len(out) == 0]+strconv.Itoa(in)+" in range")
	}
	if gone > 0 {
		out = append(out, strconv.Itoa(gone)+" without a value")
	}
	return head + ": " + strings.Join(out, "; ") + "."
}
