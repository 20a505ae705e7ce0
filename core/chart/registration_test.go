package chart_test

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
)

const regDay = "2026-11-20"

func grown() chart.Registration {
	return chart.Registration{Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14", Sex: "F"}
}

// TestARegistrationIsChecked: what is wrong is refused with what to do, what is odd is asked, what is not said is no
// fault. The rules of the Medicare number are those of CMS (2018).
func TestARegistrationIsChecked(t *testing.T) {
	mother := chart.Contact{ID: "c1", Name: "Ama Osei", Relation: "mother", Guardian: true, Phone: "(555) 010-2213"}
	cover := chart.Coverage{ID: "k1", Rank: "primary", Kind: "commercial", Payer: "Skerrow Mutual", Number: "SM-221", Holder: "self"}
	for name, c := range map[string]struct {
		change func(*chart.Registration)
		wrong  string
		asked  string
	}{
		"as much as is needed":    {change: func(*chart.Registration) {}},
		"no name":                 {change: func(r *chart.Registration) { r.Family = "  " }, wrong: "Write the family name"},
		"signs for a name":        {change: func(r *chart.Registration) { r.Family = "???" }, wrong: "no letter"},
		"a control sign":          {change: func(r *chart.Registration) { r.Given = "Ott\x00oline" }, wrong: "no name has"},
		"a delimiter of messages": {change: func(r *chart.Registration) { r.Family = "Marsh^Adeyemi" }, wrong: "no name has"},
		"one name":                {change: func(r *chart.Registration) { r.Family, r.Given = "Suharto", "" }, asked: "One name only?"},
		"several family names":    {change: func(r *chart.Registration) { r.Family = "de la Cruz y Núñez" }},
		"other letters":           {change: func(r *chart.Registration) { r.Family, r.Given = "Nguyễn", "Đức" }},
		"a digit":                 {change: func(r *chart.Registration) { r.Given = "Ottoline2" }, asked: "digit"},
		"no birth date":           {change: func(r *chart.Registration) { r.BirthDate = "" }, asked: "not known?"},
		"an impossible day":       {change: func(r *chart.Registration) { r.BirthDate = "1968-02-30" }, wrong: "no day"},
		"a birth to come":         {change: func(r *chart.Registration) { r.BirthDate = "2027-01-01" }, wrong: "future"},
		"born today":              {change: func(r *chart.Registration) { r.BirthDate = regDay; r.Contacts = []chart.Contact{mother} }},
		"a very old person":       {change: func(r *chart.Registration) { r.BirthDate = "1916-01-01" }, asked: "110 years old?"},
		"an impossible age":       {change: func(r *chart.Registration) { r.BirthDate = "1868-03-14" }, wrong: "Nobody is 158 years old"},
		"no sex":                  {change: func(r *chart.Registration) { r.Sex = "" }, wrong: "female, male, other or unknown"},
		"sex not known":           {change: func(r *chart.Registration) { r.Sex = "U" }},
		"a telephone of words":    {change: func(r *chart.Registration) { r.Telephones = []chart.Telephone{{Number: "call mother", Use: "home"}} }, wrong: "no telephone number"},
		"a short telephone":       {change: func(r *chart.Registration) { r.Telephones = []chart.Telephone{{Number: "0102", Use: "home"}} }, wrong: "seven to fifteen digits"},
		"a telephone abroad": {change: func(r *chart.Registration) {
			r.Telephones = []chart.Telephone{{Number: "+47 22 12 34 56", Use: "mobile"}}
		}},
		"no mail":                 {change: func(r *chart.Registration) { r.Email = "ottoline at home" }, wrong: "no e-mail"},
		"a foreign postal code":   {change: func(r *chart.Registration) { r.Address.Zip = "SW1A 1AA" }, asked: "abroad?"},
		"a child alone":           {change: func(r *chart.Registration) { r.BirthDate = "2018-01-01" }, asked: "without a guardian?"},
		"a child with a guardian": {change: func(r *chart.Registration) { r.BirthDate = "2018-01-01"; r.Contacts = []chart.Contact{mother} }},
		"a child that pays": {change: func(r *chart.Registration) {
			r.BirthDate, r.Contacts, r.Guarantor = "2018-01-01", []chart.Contact{mother}, "self"
		}, asked: "its own bills?"},
		"a guarantor who is nobody": {change: func(r *chart.Registration) { r.Guarantor = "c9" }, wrong: "nobody of the contacts"},
		"a guarantor":               {change: func(r *chart.Registration) { r.Contacts, r.Guarantor = []chart.Contact{mother}, "c1" }},
		"a coverage":                {change: func(r *chart.Registration) { r.Coverages = []chart.Coverage{cover} }},
		"held by nobody":            {change: func(r *chart.Registration) { x := cover; x.Holder = "c7"; r.Coverages = []chart.Coverage{x} }, wrong: "nobody of the contacts"},
		"without a number":          {change: func(r *chart.Registration) { x := cover; x.Number = ""; r.Coverages = []chart.Coverage{x} }, asked: "without a number?"},
		"two primary ones": {change: func(r *chart.Registration) {
			x := cover
			x.ID, x.Payer = "k2", "Ferry Health"
			r.Coverages = []chart.Coverage{cover, x}
		}, wrong: "both the primary coverage"},
		"one primary after another": {change: func(r *chart.Registration) {
			x, y := cover, cover
			x.Until, y.ID, y.Payer, y.From = "2025-12-31", "k2", "Ferry Health", "2026-01-01"
			r.Coverages = []chart.Coverage{x, y}
		}},
		"primary ones that touch": {change: func(r *chart.Registration) {
			x, y := cover, cover
			x.Until, y.ID, y.From = "2026-01-01", "k2", "2026-01-01"
			r.Coverages = []chart.Coverage{x, y}
		}, wrong: "both the primary coverage"},
		"only a second one": {change: func(r *chart.Registration) { x := cover; x.Rank = "second"; r.Coverages = []chart.Coverage{x} }, asked: "no primary one today?"},
		"ends before it begins": {change: func(r *chart.Registration) {
			x := cover
			x.From, x.Until = "2026-02-01", "2026-01-01"
			r.Coverages = []chart.Coverage{x}
		},
			wrong: "before it begins"},
		"a Medicare number": {change: func(r *chart.Registration) {
			r.Coverages = []chart.Coverage{{ID: "k", Rank: "primary", Kind: chart.OriginalMedicare, Number: "1eg4-te5-mk73", Holder: "self"}}
		}},
		"no Medicare number": {change: func(r *chart.Registration) {
			r.Coverages = []chart.Coverage{{ID: "k", Rank: "primary", Kind: chart.OriginalMedicare, Number: "123-45-6789A", Holder: "self"}}
		}, wrong: "no Medicare number"},
		"a letter that no Medicare number has": {change: func(r *chart.Registration) {
			r.Coverages = []chart.Coverage{{ID: "k", Rank: "primary", Kind: chart.OriginalMedicare, Number: "1SG4TE5MK73", Holder: "self"}}
		}, wrong: "no Medicare number"},
	} {
		r := grown()
		c.change(&r)
		var wrong, asked string
		for _, f := range r.Tidied().Check(regDay) {
			require.NotEmpty(t, f.Field, name)
			if f.Question {
				asked += f.Says
			} else {
				wrong += f.Says
			}
		}
		if c.wrong == "" {
			require.Empty(t, wrong, name)
		} else {
			require.Contains(t, wrong, c.wrong, name)
		}
		if c.asked == "" && c.wrong == "" {
			require.Empty(t, asked, name)
		} else {
			require.Contains(t, asked, c.asked, name)
		}
	}
}

func TestAChangeOfARegistrationIsSaidFieldByField(t *testing.T) {
	was, is := grown(), grown()
	is.Family, is.Telephones, is.Race = "Adeyemi", []chart.Telephone{{Number: "555 010 2213", Use: "mobile"}}, []string{"White", "Asian"}
	require.Equal(t, []string{"Family name: Marsh-Adeyemi → Adeyemi", "Race: not said → White, Asian", "Telephones: not said → 555 010 2213 (mobile)"}, was.Differs(is))
	require.Equal(t, []string{"family name"}, was.Identity(is))
	require.Empty(t, was.Differs(was))
	// Decomposed letters are the same name.
	was.Given, is = "Zoe\u0308", was
	is.Given = "Zoë"
	require.Empty(t, was.Tidied().Differs(is.Tidied()))
}

// TestABirthDateAsAmericansWriteIt is read month first, asked about where it could be the other way round, and left as it
// is where it is no day.
func TestABirthDateAsAmericansWriteIt(t *testing.T) {
	for typed, want := range map[string]struct{ day, asks string }{
		"1968-03-14":  {"1968-03-14", ""},
		"3/14/1968":   {"1968-03-14", ""},
		" 03-14-1968": {"1968-03-14", ""},
		"3/4/1968":    {"1968-03-04", "“3/4/1968” is read as 04 Mar 1968?"},
		"4/4/1968":    {"1968-04-04", ""},
		"14/3/1968":   {"14/3/1968", ""},
		"2/30/2018":   {"2/30/2018", ""},
		"3/14/68":     {"3/14/68", ""},
		"":            {"", ""},
	} {
		r := chart.Registration{BirthDate: typed}
		require.Equal(t, want.day, r.Tidied().BirthDate, typed)
		asks := ""
		for _, f := range r.AsRead() {
			require.True(t, f.Question)
			asks += f.Says
		}
		require.Equal(t, want.asks, asks, typed)
	}
}

// Every field of a registration counts as a change: one that is forgotten here would be lost on the way to the store.
func TestEveryFieldOfARegistrationIsAChange(t *testing.T) {
	typ := reflect.TypeFor[chart.Registration]()
	for i := range typ.NumField() {
		var r chart.Registration
		switch f := reflect.ValueOf(&r).Elem().Field(i); f.Kind() {
		case reflect.String:
			f.SetString("M") // also a sex
		case reflect.Bool:
			f.SetBool(true)
		case reflect.Slice:
			one := reflect.New(f.Type().Elem()).Elem()
			if one.Kind() == reflect.String {
				one.SetString("x")
			} else {
				one.FieldByNameFunc(func(n string) bool { return n == "Name" || n == "Payer" || n == "Number" && one.NumField() == 3 }).SetString("5550100")
			}
			f.Set(reflect.Append(f, one))
		case reflect.Struct:
			f.Field(0).SetString("x")
		}
		require.NotEmpty(t, chart.Registration{}.Differs(r), typ.Field(i).Name)
	}
}
