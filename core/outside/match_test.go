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
		require.Equal(t, c.want, Differences(ottoline, c.id))
	}
	nameless := chart.Patient{Sex: "U"}
	require.NotEmpty(t, Differences(nameless, Identity{}), "two empty names do not agree")
}

func TestCandidates(t *testing.T) {
	arlo := chart.Patient{ID: "1", Name: chart.Name{Family: "Drummond-Iyer", Given: "Arlo"}, BirthDate: "2018-05-03", Sex: "M"}
	arlen := chart.Patient{ID: "2", Name: chart.Name{Family: "Drummond-Iyer", Given: "Arlen"}, BirthDate: "2018-05-03", Sex: "M"}
	all := []chart.Patient{ottoline, arlen, arlo}
	got := Candidates(all, Identity{Family: "Drummond Iyer", Given: "Arlo", BirthDate: "2018-05-03", Sex: "M"}, 5)
	require.Len(t, got, 2)
	require.Equal(t, "1", got[0].Patient.ID)
	require.Equal(t, []string{"given name"}, got[1].Differ)
	got = Candidates(all, Identity{Family: "Adeyemi", Given: "Ottoline"}, 5)
	require.Len(t, got, 1)
	require.Contains(t, got[0].Agree, "part of the family name")
	require.Empty(t, Candidates(all, Identity{Sex: "F"}, 5), "the sex alone speaks for nobody")
	got = Candidates(all, Identity{Phone: "(555) 0118", Given: "Ottoline"}, 1)
	require.Equal(t, "o", got[0].Patient.ID)
}
