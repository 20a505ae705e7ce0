package order

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
)

// Tube is what is to be filled for an order: Count containers of one kind.
type Tube struct {
	Container string   `json:"container"` // code
	Name      string   `json:"name"`
	Specimen  string   `json:"specimen"`
	Draw      int      `json:"draw"` // place in the order of draw; 0 for what is not drawn from a vein
	Count     int      `json:"count"`
	Volume    float64  `json:"volume"`   // mL of the specimen that the tests need together
	Minimum   float64  `json:"minimum"`  // mL that will do
	Keep      string   `json:"keep"`     // room, refrigerated, frozen, or "" where the list does not say
	Handling  []string `json:"handling"` // as the laboratory says it, each once
	Tests     []string `json:"tests"`    // names
	Codes     []string `json:"codes"`
	Unsure    bool     `json:"unsure"` // volume or yield is not in the list: how many are needed is not computed
}

// Says writes a tube in words: "2 gold-top tubes (gel), 3.5 mL serum, refrigerated".
func (t Tube) Says() string {
	out := fmt.Sprintf("%d × %s", t.Count, t.Name)
	switch {
	case t.Unsure:
		out += ", volume not in the list"
	case t.Volume > 0:
		out += fmt.Sprintf(", %s mL %s", Amount(t.Volume), t.Specimen)
	}
	if t.Keep != "" {
		out += ", " + t.Keep
	}
	return out
}

// Amount writes mL without a trailing zero.
func Amount(ml float64) string {
	return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.2f", ml), "0"), ".")
}

// Tubes computes what is to be filled for the tests of one laboratory, in the order of draw
// (CLSI GP41), what is not drawn from a vein last. Tests share a container that the list
// lets them share, when it is kept in the same way; where volumes are not in the list, each
// test has one of its own.
func Tubes(l *Laboratory, tests []Test) []Tube {
	out := []Tube{}
	for _, t := range tests {
		for _, n := range t.Needs {
			c, _ := l.Container(n.Container)
			unsure := n.Volume == 0 || c.Yield == 0
			at := -1
			if c.Shared && !unsure {
				at = slices.IndexFunc(out, func(x Tube) bool { return x.Container == c.Code && x.Keep == n.Keep && !x.Unsure })
			}
			if at < 0 {
				out, at = append(out, Tube{Container: c.Code, Name: c.Name, Specimen: c.Specimen, Draw: c.Draw, Keep: n.Keep, Unsure: unsure,
					Handling: []string{}}), len(out)
			}
			x := &out[at]
			x.Volume, x.Minimum = x.Volume+n.Volume, x.Minimum+n.Minimum
			x.Tests, x.Codes = append(x.Tests, t.Name), append(x.Codes, t.Code)
			if t.Handling != "" && !slices.Contains(x.Handling, t.Handling) {
				x.Handling = append(x.Handling, t.Handling)
			}
			x.Count = 1
			if c.Yield > 0 && n.Volume > 0 {
				x.Count = max(1, int(math.Ceil(x.Volume/c.Yield-1e-9)))
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Tube) int {
		return cmp.Compare(last(a.Draw), last(b.Draw))
	})
	return out
}

// last puts what has no place in the order of draw behind what has.
func last(draw int) int {
	if draw == 0 {
		return 100
	}
	return draw
}

// FastingHours is the longest fast that the tests ask for; 0 for none.
func FastingHours(tests []Test) (hours int) {
	for _, t := range tests {
		hours = max(hours, t.Fasting)
	}
	return hours
}
