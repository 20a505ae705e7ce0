package outside

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
)

// Worked by hand: what of an identity agrees, nearly agrees and differs, in words.
func TestWhatAgreesIsSaid(t *testing.T) {
	short := ReadNicknames("# names\nwilhelmina\tmina\nelizabeth\tbess\nelizabeth\tliz\n")
	p := chart.Patient{Name: chart.Name{Family: "Marsh-Adeyemi", Given: "Wilhelmina"}, BirthDate: "1968-03-14", Sex: "F", Phone: "(207) 555-0118", Record: "SK-20418"}
	for _, c := range []struct {
		id            Identity
		agree, differ []string
	}{
		{Identity{Family: "MARSH ADEYEMI", Given: "Mina", BirthDate: "1968-03-14", Sex: "F"}, []string{"family name", "given name (a short form)", "birth date", "sex"}, nil},
		{Identity{Family: "Adeyemi", Given: "W", BirthDate: "1968-03", Sex: "F"}, []string{"part of the family name", "given name (its initial only)", "month of birth", "sex"}, nil},
		{Identity{Family: "Wilhelmina", Given: "Marsh-Adeyemi", BirthDate: "1968", Sex: "M"}, []string{"names (given and family name exchanged)", "year of birth"}, []string{"sex"}},
		{Identity{Family: "Marsh-Adeyami", Given: "Wilhelmna", BirthDate: "1968-03-41", Phone: "5550118"}, []string{"family name (a letter or two differ)", "given name (a letter or two differ)", "birth date (a digit differs, or two are exchanged)", "phone (without its area)"}, []string{"sex"}},
		{Identity{Family: "Marsh-Adeyemi", Given: "Wilhelmina Jane", BirthDate: "1968-08-14", Sex: "F", Records: []RecordNumber{{"SK-20418", "SKERROW", "MR"}}}, []string{"family name", "given name (the first of several)", "birth date (a digit differs, or two are exchanged)", "sex", "record number"}, nil},
		{Identity{Family: "Other", Given: "Else", BirthDate: "2001-01-01", Sex: "M", Phone: "555-0000"}, nil, []string{"family name", "given name", "birth date", "sex", "phone"}},
	} {
		got := compare(p, c.id, "SKERROW", short)
		require.Equal(t, c.agree, got.Agree, "%+v", c.id)
		require.Equal(t, c.differ, got.Differ, "%+v", c.id)
	}
	swapped := compare(chart.Patient{BirthDate: "1968-03-04"}, Identity{BirthDate: "1968-04-03"}, "", nil)
	require.Contains(t, swapped.Agree, "birth date (day and month exchanged)")
	require.True(t, short.same("bess", "liz"), "both of one name")
	require.False(t, short.same("mina", "liz"))
}

// Soundex codes as the National Archives publish them.
func TestSound(t *testing.T) {
	for name, code := range map[string]string{"washington": "w252", "lee": "l000", "gutierrez": "g362", "pfister": "p236", "jackson": "j250", "tymczak": "t522", "vandeusen": "v532", "ashcraft": "a261"} {
		require.Equal(t, code, sound(name), name)
	}
}

func TestBirthsLike(t *testing.T) {
	all := BirthsLike("1968-03-04")
	require.Equal(t, "1968-03-04", all[0])
	for _, like := range []string{"1968-04-03", "1986-03-04", "1968-03-14", "1968-08-04", "1968-03-05"} {
		require.Contains(t, all, like)
	}
	require.NotContains(t, all, "1968-13-04")
	require.Equal(t, []string{"1968"}, BirthsLike("1968"))
	require.Equal(t, []string{""}, BirthsLike(""))
}
