package app_test

import (
	"fmt"
	"math"
	"math/rand"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/data"
	"deftledger/store"
)

// sampled draws names by how common they are.
type sampled struct {
	names []string
	until []float64
}

func (s sampled) draw(r *rand.Rand) string {
	i, _ := slices.BinarySearch(s.until, r.Float64()*s.until[len(s.until)-1])
	return s.names[min(i, len(s.names)-1)]
}

func censusNames(t *testing.T) map[string]sampled {
	raw, err := os.ReadFile("testdata/names.tsv")
	require.NoError(t, err)
	out := map[string]sampled{}
	for line := range strings.Lines(string(raw)) {
		f := strings.Split(strings.TrimSpace(line), "\t")
		if len(f) != 3 {
			continue
		}
		share, err := strconv.ParseFloat(f[2], 64)
		require.NoError(t, err)
		s := out[f[0]]
		total := share
		if n := len(s.until); n > 0 {
			total += s.until[n-1]
		}
		s.names, s.until = append(s.names, f[1][:1]+strings.ToLower(f[1][1:])), append(s.until, total)
		out[f[0]] = s
	}
	return out
}

// The errors are those that generators of linkage test sets make (Christen and Pudjijono, Accurate synthetic generation of realistic
// personal information, PAKDD 2009): a letter put in, left out, wrong, or exchanged with its neighbour, another spelling of one sound, a
// short form, an initial, fields exchanged or missing, a digit of a date wrong, day and month exchanged, a new telephone.
func corrupt(r *rand.Rand, id outside.Identity, short map[string][]string) (outside.Identity, string) {
	letter := func(s string) string {
		if len(s) < 4 {
			return s
		}
		b, i := []byte(s), 1+r.Intn(len(s)-2)
		switch r.Intn(4) {
		case 0:
			return s[:i] + string(byte('a'+r.Intn(26))) + s[i:]
		case 1:
			return s[:i] + s[i+1:]
		case 2:
			b[i] = byte('a' + r.Intn(26))
		default:
			b[i], b[i+1] = b[i+1], b[i]
		}
		return string(b)
	}
	switch r.Intn(12) {
	case 0:
		id.Family = letter(id.Family)
		return id, "a letter of the family name"
	case 1:
		id.Given = letter(id.Given)
		return id, "a letter of the given name"
	case 2:
		if all := short[strings.ToLower(id.Given)]; len(all) > 0 {
			id.Given = all[r.Intn(len(all))]
		}
		return id, "a short form"
	case 3:
		id.Given = id.Given[:1]
		return id, "an initial"
	case 4:
		id.Given, id.Family = id.Family, id.Given
		return id, "names exchanged"
	case 5:
		id.Family = id.Family + "-Ashdown"
		return id, "a second family name"
	case 6:
		if d := id.BirthDate; d != "" && d[8:] <= "12" {
			id.BirthDate = d[:5] + d[8:] + "-" + d[5:7]
		}
		return id, "day and month exchanged"
	case 7:
		b := []byte(id.BirthDate)
		if len(b) == 10 {
			i := []int{2, 3, 6, 9}[r.Intn(4)]
			b[i] = byte('0' + r.Intn(10))
			if _, err := time.Parse(time.DateOnly, string(b)); err == nil {
				id.BirthDate = string(b)
			}
		}
		return id, "a digit of the birth date"
	case 8:
		id.BirthDate = ""
		return id, "no birth date"
	case 9:
		id.Phone = fmt.Sprintf("555%07d", r.Intn(10_000_000))
		return id, "a new telephone"
	case 10:
		id.Sex = ""
		return id, "no sex"
	}
	id.Family = []string{"Ashdown", "Quillfeather", "Brightwater"}[r.Intn(3)]
	return id, "another family name"
}

// Among 5,000 people with American names, and with one or two errors in what a sender wrote, half of them without a telephone, the right one is among the first three.
func TestWhoIsMeantIsAmongTheFirstThree(t *testing.T) {
	t.Parallel()
	s, err := store.Open(ctx, t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	names := censusNames(t)
	r := rand.New(rand.NewSource(20261127))
	people := make([]chart.Patient, 5000)
	require.NoError(t, s.Write(ctx, func(q *store.Q) error {
		for i := range people {
			sex, kind := "F", "female"
			if r.Intn(2) == 0 {
				sex, kind = "M", "male"
			}
			p := chart.Patient{ID: fmt.Sprintf("p%05d", i), Record: fmt.Sprintf("SK-%d", 30000+i), Name: chart.Name{Family: names["family"].draw(r), Given: names[kind].draw(r)},
				BirthDate: time.Date(1935, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, r.Intn(85*365)).Format(time.DateOnly), Sex: sex, Phone: fmt.Sprintf("207%07d", r.Intn(10_000_000))}
			if i%200 == 1 { // twins: one family, birth date and telephone
				p.Name.Family, p.BirthDate, p.Phone = people[i-1].Name.Family, people[i-1].BirthDate, people[i-1].Phone
			}
			people[i] = p
			if err := q.AddPatient(p); err != nil {
				return err
			}
		}
		return nil
	}))
	nick := outside.ReadNicknames(data.Nicknames)
	forms := map[string][]string{}
	for line := range strings.Lines(data.Nicknames) {
		if name, short, ok := strings.Cut(strings.TrimSpace(line), "\t"); ok {
			forms[name] = append(forms[name], short)
		}
	}
	const tries = 1000
	missed := map[string]int{}
	within := 0
	for i := range tries {
		p := people[r.Intn(len(people))]
		phone := p.Phone
		if i%4 < 2 {
			phone = ""
		}
		id, what := corrupt(r, outside.Identity{Family: p.Name.Family, Given: p.Name.Given, BirthDate: p.BirthDate, Sex: p.Sex, Phone: phone}, forms)
		if i%2 == 1 {
			more := ""
			id, more = corrupt(r, id, forms)
			what += ", " + more
		}
		var found []outside.Candidate
		require.NoError(t, s.Read(ctx, func(q *store.Q) error {
			like, err := q.PatientsLike(id.Family, id.Given, outside.BirthsLike(id.BirthDate), id.Phone)
			found = outside.Candidates(like, id, "SKERROW", nick, 3)
			return err
		}))
		if slices.ContainsFunc(found, func(c outside.Candidate) bool { return c.Patient.ID == p.ID }) {
			within++
		} else {
			missed[what]++
		}
	}
	share := float64(within) / tries
	// The interval is Wilson's.
	z := 1.96
	middle, half := (share+z*z/(2*tries))/(1+z*z/tries), z/(1+z*z/tries)*math.Sqrt(share*(1-share)/tries+z*z/(4*tries*tries))
	t.Logf("within the first three: %d of %d, %.4f (%.4f to %.4f); missed: %v", within, tries, share, middle-half, middle+half, missed)
	require.GreaterOrEqual(t, share, 0.99)
}
