package letter_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/letter"
)

func TestWhatALetterFormMustHave(t *testing.T) {
	good := letter.Form{ID: "fit", Title: "Fit for sport", To: letter.Other, Text: "{patient} may {?what} from {today}."}
	require.NoError(t, good.Check())
	for says, change := range map[string]func(*letter.Form){
		"small letters":   func(f *letter.Form) { f.ID = "Fit!" },
		"title":           func(f *letter.Form) { f.Title = " " },
		"colleague":       func(f *letter.Form) { f.To = "everybody" },
		"text":            func(f *letter.Form) { f.Text = "" },
		"no field":        func(f *letter.Form) { f.Text = "{patiënt}" },
		"not closed":      func(f *letter.Form) { f.Text = "{patient may" },
		"does not say":    func(f *letter.Form) { f.Text = "{? }" },
		"20,000":          func(f *letter.Form) { f.Text = strings.Repeat("long ", 5000) },
		"write {?weight}": func(f *letter.Form) { f.Text = "{weight}" },
	} {
		f := good
		change(&f)
		require.ErrorContains(t, f.Check(), says)
	}
	for says, l := range map[string]letter.Leaflet{
		"small letters": {ID: "A b", Title: "x", Source: "x", Text: "x"}, "title": {ID: "ab", Source: "x", Text: "x"},
		"source": {ID: "ab", Title: "x", Text: "x"}, "text": {ID: "ab", Title: "x", Source: "x"},
	} {
		require.ErrorContains(t, l.Check(), says)
	}
}

// What the chart holds is filled in; what it does not hold stays open and is seen.
func TestFilling(t *testing.T) {
	f := letter.Form{Text: "{patient}: {plan} {?ask} {diagnosis} {?ask}"}
	text := f.Fill(map[string]string{"patient": "Ada {plan}", "plan": "rest"})
	require.Equal(t, "Ada {plan}: rest {?ask} {diagnosis} {?ask}", text, "a value is never read as a form")
	require.Equal(t, []string{"{plan}", "{?ask}", "{diagnosis}"}, letter.Open(text))
	require.Empty(t, letter.Open("nothing open, 48 mL/min/{1.73_m2} and 0.4 ug/mL{FEU}"), "units have brackets too")
}

// Whatever the chart holds, filling puts it in unchanged and leaves no filled field open.
func TestFillingLosesNothing(t *testing.T) {
	names := []string{"patient", "plan", "medicines"}
	rapid.Check(t, func(t *rapid.T) {
		values := map[string]string{}
		text := ""
		for _, n := range names {
			values[n] = rapid.StringMatching(`[A-Za-z0-9 .,%$\\]{1,20}x`).Draw(t, n)
			text += "{" + n + "} | "
		}
		out := letter.Form{Text: text}.Fill(values)
		for _, n := range names {
			require.Contains(t, out, strings.TrimSpace(values[n]))
		}
		require.Empty(t, letter.Open(out))
	})
}
