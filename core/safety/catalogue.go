// Package safety knows medicines by their ingredients and checks them against what a chart
// holds: allergies, other medicines, kidneys, dose, pregnancy, conditions, age, values of the
// laboratory. Every answer says which facts it rests on, why, what to do and by which source;
// what could not be checked is an answer of its own.
package safety

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
)

// Place is where a line of the knowledge stands, for faults.
type Place struct {
	File string
	Line int
}

// Fault is what is wrong with a line of the knowledge.
type Fault struct {
	Place
	Says string
}

func (f Fault) Error() string { return fmt.Sprintf("%s, line %d: %s", f.File, f.Line, f.Says) }

// Grade says how grave a warning is.
type Grade string

// The grades, gravest first; None stands in the knowledge only: judged, and no word needed.
const (
	Never     Grade = "never"     // contraindicated by an American label
	Avoid     Grade = "avoid"     // serious: only with a reason
	Watch     Grade = "watch"     // known, to be watched
	Unchecked Grade = "unchecked" // could not be checked: no answer, and never a good one
	None      Grade = "none"
)

var rank = map[Grade]int{Never: 4, Avoid: 3, Watch: 2, Unchecked: 1}

// Ingredient is what acts in a medicine. Its first group is the class of which two at a time
// are pointed out; the others are what rules speak of.
type Ingredient struct {
	Place
	Name         string
	Groups       []string
	Brands, Also []string
	Forms        []Form

	keys []int // of its name and those of its groups that stand in rules of pairs
}

// Product is a medicine of one or several ingredients under a name of its own.
type Product struct {
	Place
	Name         string
	Ingredients  []string
	Brands, Also []string
	Forms        []Form
}

// Form is a way in which a medicine is made: "tablet", with its strengths as the label says
// them ("2.5 mg", "400-57 mg/5 mL").
type Form struct {
	Name      string
	Strengths []string
}

// Pair is what two ingredients, or groups of them, do to one another.
type Pair struct {
	Place
	A, B                    string
	Grade                   Grade
	Mechanism, Advice, From string // From is the source: body and year
}

// Cross is what an allergy to one medicine says of another. When are words of the reaction,
// one of which it takes; none: every reaction.
type Cross struct {
	Place
	To, Given  string
	When       []string
	Grade      Grade
	Says, From string
}

// Allergen is a word for what somebody is allergic to. Means is an ingredient or a group;
// "" for what is no medicine.
type Allergen struct {
	Place
	Words []string
	Means string
}

// KidneyLimit is a line of kidney function, by "CrCl" (mL/min) or "eGFR" (mL/min/1.73 m2).
type KidneyLimit struct {
	Place
	For        string
	Below      float64
	By         string
	Grade      Grade
	Says, From string
}

// ValueLimit is a value of the laboratory that speaks against a medicine.
type ValueLimit struct {
	Place
	For, LOINC, Name, Unit string // Unit is UCUM
	Above                  bool
	Limit                  float64
	Days                   int // how long a value counts
	Grade                  Grade
	Says, From             string
}

// PregnancyRule concerns pregnancy or breast-feeding. State is "pregnant", "breast-feeding"
// or "could be"; Week is the week from which it counts, 0 for all; With are beginnings of
// ICD-10-CM codes, one of which has to stand beside it.
type PregnancyRule struct {
	Place
	For, State string
	Week       int
	With       []string
	Grade      Grade
	Says, From string
}

// ConditionRule concerns a condition of the problem list, by beginnings of ICD-10-CM codes,
// between two ages in months (0: no limit).
type ConditionRule struct {
	Place
	For           string
	Codes, Unless []string
	From, Below   int
	Grade         Grade
	Says, Source  string
}

// AgeRule concerns ages in months, from one and below another (0: no limit).
type AgeRule struct {
	Place
	For          string
	From, Below  int
	Grade        Grade
	Says, Source string
}

// DoseRule is the most that is usual at once and in a day, in Unit ("mg", "mEq"), for each
// kilogram where PerKilogram; Never is then what is not gone beyond, 0 for none.
type DoseRule struct {
	Place
	For, Route         string
	From, Below        int // age in months
	PerKilogram        bool
	Unit               string
	Single, Day, Never float64
	Weekly             bool // a daily dose kills
	Source             string
}

// Knowledge is everything the catalogue is made from.
type Knowledge struct {
	Ingredients []Ingredient
	Products    []Product
	Several     []string // classes of which two at a time are usual
	Pairs       []Pair
	Crosses     []Cross
	Allergens   []Allergen
	Kidney      []KidneyLimit
	Values      []ValueLimit
	Pregnancy   []PregnancyRule
	Conditions  []ConditionRule
	Ages        []AgeRule
	Doses       []DoseRule
	Controlled  []Controlled
}

// Catalogue knows medicines and what speaks against them. It is read-only and may be used by
// several at once.
type Catalogue struct {
	k       Knowledge
	byName  map[string]*Ingredient
	key     map[string]int // ingredients and groups, numbered
	several map[string]bool
	pairs   map[int]map[int]int // the rule between two keys, found from either
	words   []allergenWords

	prose      []string            // what InProse lists
	proseBy    map[string][]string // the same in small letters, by the first word
	dosages    sync.Map            // text to chart.Dosage
	remembered atomic.Int64
	phrases    map[string]*named // names as they are read, folded
	together   map[string]bool   // the ingredients of each product, by name
	longest    int               // words of the longest of them
	search     searchIndex

	kidney    map[string][]*KidneyLimit
	values    map[string][]*ValueLimit
	pregnancy map[string][]*PregnancyRule
	condition map[string][]*ConditionRule
	ages      map[string][]*AgeRule
	doses     map[string][]*DoseRule
}

// allergenWords are the words of an allergen as texts are searched for them.
type allergenWords struct {
	folded []string // with a blank on either side
	means  string
}

// named is what a phrase names: one ingredient, or the several of a product.
type named struct {
	name  string // generic, as the catalogue writes it
	shown string // as it was called: the brand, where it is one
	parts []*Ingredient
	forms []Form
	brand bool
}

// local says whether everything under this name is made for skin, eye or ear, while the
// ingredient is made for the body too.
func (n *named) local() bool {
	return n.brand && len(n.parts) == 1 && len(n.forms) > 0 && !n.parts[0].onlyLocal() && onlyLocal(n.forms)
}

// notInProse marks names that mean something else in a sentence: a food, a test.
const notInProse = "not in prose"

// anyKind are names that only allergies speak of.
const anyKind = " of any kind"

// New makes a catalogue, or says what is wrong and in which line.
func New(k Knowledge) (*Catalogue, error) {
	c := &Catalogue{k: k, byName: map[string]*Ingredient{}, key: map[string]int{}, several: map[string]bool{}, pairs: map[int]map[int]int{},
		phrases: map[string]*named{}, together: map[string]bool{}, kidney: map[string][]*KidneyLimit{}, values: map[string][]*ValueLimit{},
		pregnancy: map[string][]*PregnancyRule{}, condition: map[string][]*ConditionRule{}, ages: map[string][]*AgeRule{},
		doses: map[string][]*DoseRule{}}
	for _, s := range k.Several {
		c.several[s] = true
	}
	if err := c.names(); err != nil {
		return nil, err
	}
	if err := c.rules(); err != nil {
		return nil, err
	}
	if err := c.unspoken(); err != nil {
		return nil, err
	}
	c.search = newSearchIndex(c)
	c.indexProse()
	return c, nil
}

// names takes ingredients and products, under every name they have.
func (c *Catalogue) names() error {
	for i := range c.k.Ingredients {
		x := &c.k.Ingredients[i]
		if x.Name == "" || len(x.Groups) == 0 {
			return Fault{x.Place, "an ingredient needs a name and a class"}
		}
		if c.byName[x.Name] != nil {
			return Fault{x.Place, fmt.Sprintf("%s stands twice", x.Name)}
		}
		c.byName[x.Name] = x
		for _, g := range append([]string{x.Name}, x.Groups...) {
			if _, ok := c.key[g]; !ok {
				c.key[g] = len(c.key)
			}
		}
	}
	for i := range c.k.Ingredients {
		x := &c.k.Ingredients[i]
		if err := c.call(x.Place, x.Name, x.Brands, x.Also, []*Ingredient{x}, x.Forms); err != nil {
			return err
		}
	}
	for _, p := range c.k.Products {
		var parts []*Ingredient
		for _, name := range p.Ingredients {
			x := c.byName[name]
			if x == nil {
				return Fault{p.Place, fmt.Sprintf("%s holds %q, which is no ingredient of the list", p.Name, name)}
			}
			if slices.Contains(parts, x) {
				return Fault{p.Place, fmt.Sprintf("%s holds %s twice", p.Name, name)}
			}
			parts = append(parts, x)
		}
		if p.Name == "" || len(parts) == 0 {
			return Fault{p.Place, "a product needs a name and its ingredients"}
		}
		if err := c.call(p.Place, p.Name, p.Brands, p.Also, parts, p.Forms); err != nil {
			return err
		}
	}
	return nil
}

// call enters what is called by a name, its brands and its other names.
func (c *Catalogue) call(at Place, name string, brands, also []string, parts []*Ingredient, forms []Form) error {
	enter := func(as, shown string, brand bool) error {
		words := fold(as)
		if len(words) == 0 {
			return Fault{at, fmt.Sprintf("%q is no name", as)}
		}
		phrase := strings.Join(words, " ")
		if before := c.phrases[phrase]; before != nil && before.name != name {
			return Fault{at, fmt.Sprintf("%q names %s and %s", as, before.name, name)}
		}
		if c.phrases[phrase] == nil {
			c.phrases[phrase] = &named{name: name, shown: shown, parts: parts, forms: forms, brand: brand}
			lot := make([]part, len(parts))
			for i, x := range parts {
				lot[i].is = x
			}
			c.together[ingredientsOf(lot)] = true
		}
		c.longest = max(c.longest, len(words))
		return nil
	}
	if err := enter(name, name, false); err != nil {
		return err
	}
	all := forms
	for _, b := range brands {
		b, form, only := strings.Cut(strings.TrimSuffix(b, ")"), " (")
		if forms = all; only {
			forms = []Form{{Name: form}}
		}
		if err := enter(b, b, true); err != nil {
			return err
		}
	}
	forms = all
	for _, a := range also {
		if err := enter(a, name, false); err != nil {
			return err
		}
	}
	return nil
}

// known says whether a rule may speak of a name: an ingredient or a group.
func (c *Catalogue) known(at Place, names ...string) error {
	for _, n := range names {
		if _, ok := c.key[n]; !ok {
			return Fault{at, fmt.Sprintf("%q is neither an ingredient nor a group", n)}
		}
	}
	return nil
}

// graded says whether a rule has a grade and, where it says something, words and a source.
func graded(at Place, g Grade, says, source string) error {
	switch {
	case rank[g] < rank[Watch] && g != None:
		return Fault{at, fmt.Sprintf("%q is no grade: never, avoid, watch or none", g)}
	case g != None && (says == "" || source == ""):
		return Fault{at, "it needs words and a source"}
	}
	return nil
}

// rules takes what speaks against medicines, each under what it is about.
func (c *Catalogue) rules() error {
	seen := map[[2]int]Place{}
	for i, p := range c.k.Pairs {
		if err := firstOf(c.known(p.Place, p.A, p.B), graded(p.Place, p.Grade, p.Mechanism, p.From)); err != nil {
			return err
		}
		k := pairKey(c.key[p.A], c.key[p.B])
		if before, twice := seen[k]; twice {
			return Fault{p.Place, fmt.Sprintf("%s and %s stand in line %d already", p.A, p.B, before.Line)}
		}
		seen[k] = p.Place
		for _, from := range [][2]int{{k[0], k[1]}, {k[1], k[0]}} {
			if c.pairs[from[0]] == nil {
				c.pairs[from[0]] = map[int]int{}
			}
			c.pairs[from[0]][from[1]] = i
		}
	}
	for i := range c.k.Ingredients {
		x := &c.k.Ingredients[i]
		for _, g := range append([]string{x.Name}, x.Groups...) {
			if n := c.key[g]; c.pairs[n] != nil && !slices.Contains(x.keys, n) { // a group may be called as its one ingredient is
				x.keys = append(x.keys, n)
			}
		}
	}
	for _, x := range c.k.Controlled {
		if c.byName[x.Ingredient] == nil || x.With != "" && c.byName[x.With] == nil {
			return Fault{x.Place, fmt.Sprintf("%q or %q is no ingredient", x.Ingredient, x.With)}
		}
	}
	for _, x := range c.k.Crosses {
		for _, n := range []string{x.To, x.Given} {
			if !strings.HasSuffix(n, anyKind) {
				if err := c.known(x.Place, n); err != nil {
					return err
				}
			}
		}
		if err := graded(x.Place, x.Grade, x.Says, x.From); err != nil {
			return err
		}
	}
	for _, a := range c.k.Allergens {
		words := allergenWords{means: a.Means}
		for _, w := range a.Words {
			words.folded = append(words.folded, " "+strings.Join(fold(w), " ")+" ")
		}
		c.words = append(c.words, words)
		if a.Means != "" && !strings.HasSuffix(a.Means, anyKind) {
			if err := c.known(a.Place, a.Means); err != nil {
				return err
			}
		}
	}
	for i := range c.k.Kidney {
		r := &c.k.Kidney[i]
		if err := firstOf(c.knownOrRelease(r.Place, r.For), graded(r.Place, r.Grade, r.Says, r.From)); err != nil {
			return err
		}
		if r.By != "CrCl" && r.By != "eGFR" || r.Below <= 0 {
			return Fault{r.Place, "a limit of the kidneys is by CrCl or eGFR, above zero"}
		}
		c.kidney[r.For] = append(c.kidney[r.For], r)
	}
	for i := range c.k.Values {
		r := &c.k.Values[i]
		if err := firstOf(c.known(r.Place, r.For), graded(r.Place, r.Grade, r.Says, r.From)); err != nil {
			return err
		}
		if r.LOINC == "" || r.Unit == "" || r.Days <= 0 {
			return Fault{r.Place, "a value needs a LOINC code, a unit and how many days it counts"}
		}
		c.values[r.For] = append(c.values[r.For], r)
	}
	for i := range c.k.Pregnancy {
		r := &c.k.Pregnancy[i]
		if err := firstOf(c.known(r.Place, r.For), graded(r.Place, r.Grade, r.Says, r.From)); err != nil && r.From != "" {
			return err
		}
		if !slices.Contains([]string{Pregnant, BreastFeeding, couldBe}, r.State) {
			return Fault{r.Place, fmt.Sprintf("%q is no state: pregnant, breast-feeding or could be", r.State)}
		}
		c.pregnancy[r.For] = append(c.pregnancy[r.For], r)
	}
	for i := range c.k.Conditions {
		r := &c.k.Conditions[i]
		if err := firstOf(c.known(r.Place, r.For), graded(r.Place, r.Grade, r.Says, r.Source)); err != nil {
			return err
		}
		if len(r.Codes) == 0 {
			return Fault{r.Place, "a condition needs the beginning of a code"}
		}
		c.condition[r.For] = append(c.condition[r.For], r)
	}
	for i := range c.k.Ages {
		r := &c.k.Ages[i]
		if err := firstOf(c.known(r.Place, r.For), graded(r.Place, r.Grade, r.Says, r.Source)); err != nil {
			return err
		}
		if r.Below > 0 && r.Below <= r.From || r.From+r.Below == 0 {
			return Fault{r.Place, "these ages are nobody's, or everybody's"}
		}
		c.ages[r.For] = append(c.ages[r.For], r)
	}
	for i := range c.k.Doses {
		r := &c.k.Doses[i]
		if err := c.known(r.Place, r.For); err != nil {
			return err
		}
		if r.Single <= 0 || r.Day < r.Single || r.Source == "" || r.Below > 0 && r.Below <= r.From {
			return Fault{r.Place, "a dose needs the most at once, no less in a day, ages of somebody, and a source"}
		}
		c.doses[r.For] = append(c.doses[r.For], r)
	}
	return nil
}

// extended is what is added to the name of a medicine that releases slowly, where a limit
// is of that form only.
const extended = " extended release"

func (c *Catalogue) knownOrRelease(at Place, name string) error {
	return c.known(at, strings.TrimSuffix(name, extended))
}

func firstOf(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// unspoken finds a group that is no class and that no rule speaks of: as a rule a slip of
// the pen, which would leave the ingredient unchecked.
func (c *Catalogue) unspoken() error {
	spoken := map[string]bool{notInProse: true, throughTheSkin: true, "vitamin or mineral": true, "aspirin": true}
	for _, x := range c.k.Ingredients {
		spoken[x.Groups[0]] = true
	}
	for _, p := range c.k.Pairs {
		spoken[p.A], spoken[p.B] = true, true
	}
	for _, x := range c.k.Crosses {
		spoken[x.To], spoken[x.Given] = true, true
	}
	for _, a := range c.k.Allergens {
		spoken[a.Means] = true
	}
	for name := range c.kidney {
		spoken[name] = true
	}
	for name := range c.values {
		spoken[name] = true
	}
	for name := range c.pregnancy {
		spoken[name] = true
	}
	for name := range c.condition {
		spoken[name] = true
	}
	for name := range c.ages {
		spoken[name] = true
	}
	for name := range c.doses {
		spoken[name] = true
	}
	for _, g := range listGroups {
		spoken[g.group] = true
	}
	for _, x := range c.k.Ingredients {
		for _, g := range x.Groups {
			if !spoken[g] {
				return Fault{x.Place, fmt.Sprintf("%s is of the group %q, of which no rule speaks", x.Name, g)}
			}
		}
	}
	return nil
}

func pairKey(a, b int) [2]int {
	if a > b {
		a, b = b, a
	}
	return [2]int{a, b}
}

// is says whether an ingredient is what a rule is about: itself or one of its groups.
func (x *Ingredient) is(name string) bool { return x.Name == name || slices.Contains(x.Groups, name) }
