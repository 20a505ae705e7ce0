package outside

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
)

var ottoline = chart.Patient{ID: "o", Name: chart.Name{Family: "Marsh-Adeyemi", Given: "Ottoline"}, BirthDate: "1968-03-14", Sex: "F",
	Phone: "555-0118"}

func TestDifferences(t *testing.T) {
	for _, c := range []struct {
		id   Identity
		want []string
	}{
		{Identity{Family: "MARSH ADEYEMI", Given: "ottoline", BirthDate: "1968-03-14", Sex: "F"}, nil},
		{Identity{Family: "Marsh", Given: "Ottoline", BirthDate: "1968-03-14", Sex: "F"}, []string{"family name"}},
		{Identity{Family: "Marsh-Adeyemi", Given: "O", BirthDate: "1968-03-14", Sex: "F"}, []string{"given name"}},
		{Identity{Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-15", Sex: "F"}, []string{"birth date"}},
		{Identity{Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14", Sex: "M"}, []string{"sex"}},
		{Identity{}, []string{"family name", "given name", "birth date", "sex"}},
	} {
		require.Equal(t, c.want, Differences(ottoline, c.id, "SKERROW"))
	}
	nameless := chart.Patient{Sex: "U"}
	require.NotEmpty(t, Differences(nameless, Identity{}, "SKERROW"), "two empty names do not agree")
}

// A record number counts where it is ours, and only there.
func TestARecordNumberOfOursHasToAgree(t *testing.T) {
	p := ottoline
	p.Record = "SK-20418"
	for _, c := range []struct {
		records []RecordNumber
		agrees  bool
	}{
		{nil, true},
		{[]RecordNumber{{"SK-20418", "SKERROW", "MR"}}, true},
		{[]RecordNumber{{"sk-20418", "Skerrow", "MR"}}, true},
		{[]RecordNumber{{"SK-20419", "SKERROW", "MR"}}, false},
		{[]RecordNumber{{"998877", "REFLAB", "PI"}, {"SK-20418", "SKERROW", "MR"}}, true},
		{[]RecordNumber{{"998877", "REFLAB", "PI"}}, true},
		{[]RecordNumber{{"SK-20777", "", ""}}, false}, // nobody is named, and it has the form of ours
		{[]RecordNumber{{"SK-20418", "", ""}}, true},
		{[]RecordNumber{{"4711", "", ""}}, true},
	} {
		id := Identity{Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14", Sex: "F", Records: c.records}
		require.Equal(t, c.agrees, len(Differences(p, id, "SKERROW")) == 0, "%v", c.records)
	}
}

func TestWhoseAnAnswerIs(t *testing.T) {
	p := ottoline
	p.Record = "SK-20418"
	ours := []RecordNumber{{Number: "SK-20418"}}
	for _, c := range []struct {
		id   Identity
		want []string
	}{
		{Identity{Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14", Sex: "F"}, nil},
		{Identity{Records: ours}, nil},
		{Identity{Records: ours, Family: "Marsh"}, []string{"family name"}},
		{Identity{Records: ours, BirthDate: "1968-03-15"}, []string{"birth date"}},
		{Identity{Records: []RecordNumber{{Number: "SK-99"}}}, []string{"family name", "given name", "birth date", "sex", "record number"}},
		{Identity{Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14"}, []string{"sex"}},
		{Identity{}, []string{"family name", "given name", "birth date", "sex"}},
	} {
		got := NotOf(p, c.id, "SKERROW")
		require.ElementsMatch(t, c.want, got, "%+v", c.id)
	}
}

// Worked out by hand: which spellings are one name written by two houses, and which are two
// names.
func TestSpellingsOfAName(t *testing.T) {
	for _, c := range []struct {
		a, b string
		same bool
	}{
		{"Zoë", "Zoe\u0308", true}, {"Čapek", "Capek", true}, {"Łukasz", "Lukasz", true}, {"Ionuț", "Ionut\u0326", true}, {"Ionuț", "Ionuţ", true},
		{"Weiß", "Weiss", true}, {"Sørensen", "Sorensen", true}, {"Nguyễn", "Nguyen", true}, {"Nguyễn", "Nguye\u0302\u0303n", true}, {"Đặng", "Dang", true},
		{"Ældred", "AELDRED", true}, {"O’Hara", "O'Hara", true}, {"D'Angelo", "DAngelo", true}, {"Ağaoğlu", "Agaoglu", true}, {"Kılıç", "Kilic", true},
		{"Müller", "Mueller", false}, {"Arlo", "Arlen", false}, {"Smith", "Smyth", false}, {"Baby1", "Baby2", false}, {"Baby", "Baby 2", false},
		{"Иванов", "Иванова", false}, {"कुमार", "कमार", false}, {"Ng", "", false},
	} {
		p := chart.Patient{Name: chart.Name{Family: c.a, Given: "Ann"}, BirthDate: "1968-03-14", Sex: "F"}
		got := Differences(p, Identity{Family: c.b, Given: "ANN", BirthDate: "1968-03-14", Sex: "F"}, "")
		require.Equal(t, c.same, len(got) == 0, "%q and %q", c.a, c.b)
	}
}

func TestCandidates(t *testing.T) {
	arlo := chart.Patient{ID: "1", Name: chart.Name{Family: "Drummond-Iyer", Given: "Arlo"}, BirthDate: "2018-05-03", Sex: "M"}
	arlen := chart.Patient{ID: "2", Name: chart.Name{Family: "Drummond-Iyer", Given: "Arlen"}, BirthDate: "2018-05-03", Sex: "M"}
	all := []chart.Patient{ottoline, arlen, arlo}
	got := Candidates(all, Identity{Family: "Drummond Iyer", Given: "Arlo", BirthDate: "2018-05-03", Sex: "M"}, "SKERROW", nil, 5)
	require.Len(t, got, 2)
	require.Equal(t, "1", got[0].Patient.ID)
	require.Equal(t, []string{"given name"}, got[1].Differ)
	got = Candidates(all, Identity{Family: "Adeyemi", Given: "Ottoline"}, "SKERROW", nil, 5)
	require.Len(t, got, 1)
	require.Contains(t, got[0].Agree, "part of the family name")
	require.Empty(t, Candidates(all, Identity{Sex: "F"}, "SKERROW", nil, 5), "the sex alone speaks for nobody")
	got = Candidates(all, Identity{Phone: "(555) 0118", Given: "Ottoline"}, "SKERROW", nil, 1)
	require.Equal(t, "o", got[0].Patient.ID)
}
