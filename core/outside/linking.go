package outside

import (
	"slices"
	"sort"
	"strings"
	"time"

	"deftledger/core/chart"
)

// Linker says whom somebody is at another party. Short are short forms of names.
type Linker struct{ Short Nicknames }

// Alike is somebody at another party, beside one of ours.
type Alike struct {
	At     int // in the list that was given
	Score  float64
	Agree  []string
	Differ []string
	Unsure string // why it is not certain that it is the same person; "" where it is
	near   bool   // where they live or their telephone agrees
}

// Weights of an address, as those of the names.
const (
	bitsStreet    = 9.0
	bitsNearby    = 6.0
	bitsZip       = 4.0  // two of house number, street, town and postal code
	bitsNotStreet = -0.5 // people move
)

// Link ranks people of another party by how likely each is the one who is asked about, best first. It says of the first that it is certain
// only where it cannot be a twin, a namesake, a parent or somebody else of the house: the given name agrees in every letter, the birth date too, the sex does not differ, one other thing speaks for it, and nobody
// else comes near. Everything else is for a person, with what differs in words.
func (l Linker) Link(us Identity, there []Identity) []Alike {
	p := chart.Patient{Name: chart.Name{Family: us.Family, Given: us.Given}, BirthDate: us.BirthDate, Sex: us.Sex, Phone: us.Phone}
	if len(us.Records) > 0 {
		p.Record = us.Records[0].Number
	}
	out := []Alike{}
	hows := map[int]map[string]string{}
	for i, id := range there {
		c := compare(p, id, "", l.Short)
		a := Alike{At: i, Score: c.Score, Agree: c.Agree, Differ: c.Differ}
		if c.Score == 0 {
			continue
		}
		if how, bits := street(us, id); bits > 0 {
			a.Agree, a.Score, a.near = append(a.Agree, how), a.Score+bits, true
		} else if bits < 0 {
			a.Differ, a.Score = append(a.Differ, how), a.Score+bits
		}
		_, phone := c.how["phone"]
		a.near = a.near || phone
		hows[i] = c.how
		out = append(out, a)
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].Score > out[j].Score })
	for i := range out {
		switch {
		case i > 0:
			out[i].Unsure = "somebody else fits better"
		case len(out) > 1 && out[0].Score-out[1].Score < leastAhead:
			out[i].Unsure = "somebody else fits nearly as well"
		default:
			out[i].Unsure = l.unsure(us, there[out[i].At], hows[out[i].At], out[i])
		}
	}
	return out
}

// leastAhead is by how many bits the first has to be ahead of the next.
const leastAhead = 8.0

func (l Linker) unsure(us, id Identity, how map[string]string, a Alike) string {
	if slices.Contains(a.Differ, "record number") {
		return "it carries another record number of ours"
	}
	if us.Sex != "" && id.Sex != "" && us.Sex != "U" && id.Sex != "U" && !strings.EqualFold(us.Sex, id.Sex) {
		return "the sex differs"
	}
	_, exchanged := how["names"]
	given, said := how["given name"]
	switch {
	case exchanged:
	case id.Given == "" || us.Given == "":
		return "the given name is missing"
	case !said:
		return "the given names differ: " + us.Given + " here, " + id.Given + " there"
	case given == "its initial only":
		return "there is only an initial of the given name: " + us.Given + " here, " + id.Given + " there"
	case given == "a short form": // Anna may be Hannah, and may be her sister
		return "one given name may be short for the other: " + us.Given + " here, " + id.Given + " there"
	case given == "a letter or two differ": // so are those of twins
		return "the given names are alike, and may be of two people: " + us.Given + " here, " + id.Given + " there"
	}
	family, said := how["family name"]
	if _, part := how["part of the family name"]; part {
		family, said = "a part of it", true
	}
	switch {
	case exchanged:
	case id.Family == "" || us.Family == "":
		return "the family name is missing"
	case !said:
		return "the family names differ: " + us.Family + " here, " + id.Family + " there"
	case family == "by its sound":
		return "the family names only sound alike: " + us.Family + " here, " + id.Family + " there"
	}
	birth, said := how["birth date"]
	switch {
	case id.BirthDate == "" || us.BirthDate == "":
		return "the birth date is missing"
	case len(id.BirthDate) < len(time.DateOnly) || len(us.BirthDate) < len(time.DateOnly):
		return "the birth date is not whole"
	case !said:
		return "the birth dates differ: " + chart.SayDay(us.BirthDate) + " here, " + chart.SayDay(id.BirthDate) + " there"
	case birth != "" && us.BirthDate[:4] != id.BirthDate[:4]:
		return "the years of birth differ: " + chart.SayDay(us.BirthDate) + " here, " + chart.SayDay(id.BirthDate) + " there"
	case birth != "" && (given != "" || family != "" || exchanged || !a.near):
		return "the birth date and something else differ: " + chart.SayDay(us.BirthDate) + " here, " + chart.SayDay(id.BirthDate) + " there"
	}
	if !a.near && !slices.Contains(a.Agree, "record number") {
		return "nothing agrees but the names and the birth date"
	}
	return ""
}

// street compares where two people live: the same, or a street that is nearly the same with its number, town or postal code.
func street(a, b Identity) (how string, bits float64) {
	x, y := streetWords(a.Street), streetWords(b.Street)
	nx, ny := houseNumber(x), houseNumber(y)
	sx, sy := strings.Join(words(x), ""), strings.Join(words(y), "")
	cx, cy := chart.Fold(a.City), chart.Fold(b.City)
	road := sx != "" && sy != "" && distance([]rune(sx), []rune(sy)) <= max(len(sx), len(sy))/4
	if sx == sy && sx != "" && nx == ny && nx != "" {
		return "address", bitsStreet
	}
	number, zip, city := nx != "" && nx == ny, a.Zip != "" && a.Zip == b.Zip, cx != "" && (cx == cy || near(cx, cy))
	switch {
	case road && (number || zip || city), number && zip && city && (sx == "" || sy == ""): // a number and a town alone are those of a neighbor, too
		return "address (written a little differently)", bitsNearby
	case sx == "" || sy == "":
		return "", 0
	}
	return "address", bitsNotStreet
}

// kindsOfStreet are words for a street that are written short (United States Postal Service, Publication 28, appendix C1).
var kindsOfStreet = map[string]string{"street": "st", "avenue": "ave", "av": "ave", "road": "rd", "drive": "dr", "lane": "ln", "court": "ct", "place": "pl", "circle": "cir", "boulevard": "blvd",
	"terrace": "ter", "square": "sq", "highway": "hwy", "crescent": "cres", "circuit": "cct", "north": "n", "south": "s", "east": "e", "west": "w", "apartment": "apt", "unit": "apt", "suite": "ste"}

func streetWords(s string) (out []string) {
	for w := range strings.FieldsFuncSeq(strings.ToLower(s), func(r rune) bool { return r == ' ' || r == ',' || r == '.' || r == '#' || r == '-' }) {
		if short := kindsOfStreet[w]; short != "" {
			w = short
		}
		out = append(out, chart.Fold(w))
	}
	return out
}

func isNumber(w string) bool { return w != "" && w[0] >= '0' && w[0] <= '9' }

func houseNumber(all []string) string {
	if len(all) > 0 && isNumber(all[0]) {
		return all[0]
	}
	return ""
}

func words(all []string) []string {
	if houseNumber(all) != "" {
		return all[1:]
	}
	return all
}
