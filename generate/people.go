package generate

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"deftledger/core/chart"
)

// Names are put together from these lists; all of them are common words or old given
// names, and no person is meant. Few enough that lookalikes come about by themselves.
var (
	womens = strings.Fields("Alma Aster Beata Brisa Calla Dagny Delphine Edda Elowen Esther Fenna Flora Greta Hanne Ida Ingrid Iris " +
		"Jorunn June Kaia Lena Linnea Lotte Mabel Maja Marit Merle Nell Nora Odile Olga Petra Rosa Runa Saskia Senna Signe Sunna Thea Tilda " +
		"Ursa Vera Wilma Ylva Zelda Amara Benedetta Chiyo Fatuma Ines Lan Noor Priya Soledad")
	mens = strings.Fields("Alder Anselm Arne Bastian Birk Caspar Conrad Dag Eino Elias Emil Falk Felix Finn Gideon Gustav Halvor " +
		"Henrik Ivo Jasper Joren Kasimir Knut Lars Leif Linus Magnus Matteo Nils Odin Oskar Otis Pavel Piet Rasmus Roald Rufus Sander Silas " +
		"Sten Tarn Theo Ulf Viggo Walter Yorick Zeno Amadou Diego Haruki Joaquin Minh Omar Rohan Tariq")
	families = strings.Fields("Aldous Anker Ashby Barrow Beck Birch Blackthorn Bolt Brandt Brekke Brink Burnet Calder Cobb Cormorant Crane " +
		"Dahl Dale Drift Dunlin Eider Elm Falkner Fenwick Fjeld Flint Fulmar Gale Gannet Garrick Glass Gorse Grebe Hagen Harrow Hawse Heather " +
		"Holm Hurst Ibsley Inver Jarl Kelby Kestrel Knoll Lam Larch Linden Locke Lund Marram Mast Mere Moen Morrow Naze Ness Nilsen Nord " +
		"Oarsman Okafor Orchard Osprey Ousel Pell Pine Plover Quay Quill Rask Reed Reyes Rigg Rook Rowan Rudd Sand Sato Shoal Skerry Sorrel " +
		"Spar Stark Strand Sund Tam Teal Tern Thorne Thrift Tor Tran Ulven Vane Vik Wale Warden Weir Wick Wren Yarrow York")
)

// person is somebody with what the years so far made of them.
type person struct {
	chart.Patient
	rng       *rand.Rand
	born      time.Time
	clinician int
	seen      bool // there was a visit
	dead      bool
	folio     int
	hash      string // of the last sealed entry of the chart
	conds     []*had
	weight    float64 // kg
	height    float64 // cm
	systolic  float64
	values    map[string]float64 // analyte → where this person's values lie, 0 to 1 within the range
	reviewed  time.Time          // when the histories were last gone through
}

// had is a condition somebody has, with since when.
type had struct {
	condition
	since time.Time
	known bool // on the problem list
}

func (p *person) ageAt(t time.Time) int { return int(t.Sub(p.born).Hours() / 24 / 365.25) }

// people makes households until there are n persons. The same seed makes the same people.
func people(n, clinicians int, seed uint64, until time.Time) []*person {
	r := rand.New(rand.NewPCG(seed, 0))
	out := make([]*person, 0, n+6)
	pick := func(from []string) string { return from[r.IntN(len(from))] }
	add := func(family, phone, given, sex string, born time.Time, clinician int) *person {
		i := len(out)
		p := &person{rng: rand.New(rand.NewPCG(seed, uint64(i)+1)), born: born, clinician: clinician, values: map[string]float64{}}
		p.Patient = chart.Patient{Record: fmt.Sprintf("SK-%06d", 100001+i), Name: chart.Name{Family: family, Given: given},
			BirthDate: born.Format(time.DateOnly), Sex: sex}
		if r.IntN(7) > 0 { // some have no telephone on record
			p.Phone = phone
		}
		if r.IntN(4) == 0 {
			p.Name.Middle = pick(append(womens, mens...))[:1]
		}
		age := p.ageAt(until)
		p.UsesPortal = age >= 18 && r.IntN(100) < 55-age/3
		if age > 80 && r.IntN(5) == 0 {
			p.CodeStatus = "Do not resuscitate"
		}
		p.ID = p.id(born.AddDate(0, 0, 3))
		out = append(out, p)
		return p
	}
	given := func(sex string) string {
		if sex == "F" {
			return pick(womens)
		}
		return pick(mens)
	}
	bornAt := func(age int) time.Time { return until.AddDate(-age, 0, -r.IntN(365)).Truncate(24 * time.Hour) }
	for len(out) < n {
		family, phone, clinician := pick(families), fmt.Sprintf("555-%04d", r.IntN(10000)), r.IntN(clinicians)
		if r.IntN(9) == 0 { // two family names, sometimes with a hyphen
			family += []string{" ", "-"}[r.IntN(2)] + pick(families)
		}
		oldest := 20 + r.IntN(72)
		sex := []string{"F", "M"}[r.IntN(2)]
		add(family, phone, given(sex), sex, bornAt(oldest), clinician)
		if r.IntN(3) > 0 { // a partner, who may keep their own name
			other := map[string]string{"F": "M", "M": "F"}[sex]
			name := family
			if r.IntN(4) == 0 {
				name = pick(families)
			}
			add(name, phone, given(other), other, bornAt(max(19, oldest-6+r.IntN(10))), clinician)
		}
		if oldest > 24 && oldest < 58 {
			for range r.IntN(4) {
				sex := []string{"F", "M"}[r.IntN(2)]
				child := add(family, phone, given(sex), sex, bornAt(r.IntN(min(18, oldest-19))), clinician)
				if r.IntN(40) == 0 { // twins, named alike
					twin := given(sex)
					for range 20 {
						if t := given(sex); t[0] == child.Name.Given[0] && t != child.Name.Given {
							twin = t
							break
						}
					}
					add(family, phone, twin, sex, child.born, clinician)
				}
			}
		}
	}
	return out[:n]
}
