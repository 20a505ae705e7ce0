package chart

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestAgeText(t *testing.T) {
	for _, c := range []struct{ birth, day, want string }{
		{"1968-03-14", "2026-11-23", "58 y"}, {"1968-11-23", "2026-11-23", "58 y"}, {"1968-11-24", "2026-11-23", "57 y"},
		{"2024-11-24", "2026-11-23", "23 mo"}, {"2024-11-23", "2026-11-23", "2 y"}, {"2026-11-14", "2026-11-23", "9 d"},
		{"2026-11-23", "2026-11-23", "0 d"},
		{"2024-02-29", "2026-02-28", "23 mo"}, {"2027-01-01", "2026-11-23", "age unknown"}, {"1968", "2026-11-23", "age unknown"},
		{"1920-01-01", "2026-11-23", "106 y"},
	} {
		require.Equal(t, c.want, AgeText(c.birth, c.day), "%s on %s", c.birth, c.day)
	}
}

func TestFold(t *testing.T) {
	for _, c := range []struct{ a, b string }{{"Marsh-Adeyemi", "MARSH ADEYEMI"}, {"O'Brien", "obrien"}, {"Ørsted", "orsted"},
		{"Müller", "muller"}, {"Łukasz", "łukasz"}} {
		require.Equal(t, Fold(c.b), Fold(c.a))
	}
	require.NotEqual(t, Fold("Arlo"), Fold("Arlen"))
	require.Empty(t, Fold(" -'"))
}

func TestLookalikes(t *testing.T) {
	p := func(id, family, given, birth string) Patient {
		return Patient{ID: id, Name: Name{Family: family, Given: given}, BirthDate: birth}
	}
	for _, c := range []struct {
		name  string
		a, b  Patient
		alike bool
	}{
		{"twins, with and without the hyphen", p("1", "Drummond-Iyer", "Arlo", "2018-05-03"),
			p("2", "Drummond Iyer", "Arlen", "2018-05-03"), true},
		{"nobody is taken for themselves", p("1", "Roe", "Ann", "1997-02-18"), p("1", "Roe", "Ann", "1997-02-18"), false},
		{"given names that begin alike", p("1", "Roe", "Caspian", "1997-02-18"), p("2", "Roe", "Cass", "1950-01-01"), true},
		{"born on the same day", p("1", "Roe", "Ann", "1997-02-18"), p("2", "Roe", "Zoe", "1997-02-18"), true},
		{"one family, nothing else", p("1", "Roe", "Ann", "1997-02-18"), p("2", "Roe", "Zoe", "1990-02-18"), false},
		{"another family", p("1", "Roe", "Ann", "1997-02-18"), p("2", "Poe", "Ann", "1997-02-18"), false},
	} {
		got := Lookalikes([]Patient{c.a, c.b, c.b}) // who comes twice is named once
		if !c.alike {
			require.Empty(t, got, c.name)
			continue
		}
		require.Equal(t, []string{c.b.Name.Given + " " + c.b.Name.Family}, got[c.a.ID], c.name)
		require.Equal(t, []string{c.a.Name.Given + " " + c.a.Name.Family}, got[c.b.ID], c.name)
	}
}
