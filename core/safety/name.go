package safety

import (
	"cmp"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"deftledger/core/chart"
)

// Reading is what a text says of a medicine, as it stands on a list.
type Reading struct {
	said     string // the name it was found under, for one of several
	parts    []part
	Strange  []string  // words before the dose that name something else
	several  []Reading // each of the medicines it names, where it names several that are no known product
	besides  []string  // medicines that stand in what was to be a dose
	local    bool      // given where little is taken up: skin, eye, ear
	extended bool      // released slowly
}

// part is one ingredient of a medicine that was read; shown is the name it was found under.
type part struct {
	is    *Ingredient
	shown string
	place int // among the ingredients of its product
	of    int // how many the product has
}

// Known says whether every word that may be a name was one.
func (r Reading) Known() bool { return len(r.parts) > 0 && len(r.Strange) == 0 }

// Several says whether it names several medicines that are no product of the catalogue.
func (r Reading) Several() bool { return len(r.several) > 1 }

// formWords are words beside the name of a medicine that name no ingredient: forms, salts,
// ways of giving.
var formWords = wordSet(`tablet tablets capsule capsules tab tabs cap caps oral liquid solution soln suspension susp syrup elixir cream ointment oint gel lotion foam
	shampoo patch patches drops drop spray sprays puff puffs inhaler inhaled inhalation nebulizer neb nasal injection injectable inj pen pens vial powder granules packet film chewable
	chew odt sublingual sl buccal rectal vaginal topical ophthalmic otic eye eyes ear ears nose extended delayed immediate modified controlled release er xr sr ir cr dr ec xl la
	cd hfa dpi hcl hydrochloride hydrobromide hbr sodium potassium calcium magnesium succinate tartrate maleate besylate mesylate sulfate acetate phosphate citrate bromide
	dihydrate monohydrate hyclate trihydrate fumarate furoate propionate valerate cypionate enanthate pamoate medoxomil proxetil axetil etexilate disoproxil erbumine tosylate
	mg mcg ug g gm ml meq unit units iu percent strength ds daily qd twice once three four times weekly monthly hourly bid tid qid qhs prn as needed by mouth po with and for the in at on of a an to
	every food meals night nightly bedtime morning evening noon day days week weeks month low dose high double maximum regular extra generic brand enteric coated flexpen kwikpen
	solostar auto-injector autoinjector human recombinant porcine usp macrocrystals dihydrochloride bitartrate dipropionate disodium preservative free abuse deterrent breath actuated metered actuat act unt respimat handihaler diskus ellipta inhub redihaler turbuhaler flexhaler twisthaler pressair aerosphere m10 m20 fe lo jr junior liqui gels liquigels softgel softgels gummies gummy oil w minerals hour hours hr hrs complex formula sa suppository suppositories enema nebules strip strips film films gum lozenge kit pack dosepak taper vaccine supplement otc rx or per taken take takes using use wound rash skin scalp left right both pain
	under into through muscle vein tongue mouth nostril nostrils subcutaneous subcutaneously subcut subq sq sc intramuscular intramuscularly im intravenous intravenously iv`)

// throughTheSkin marks ingredients that are put on the skin to act in the whole body.
const throughTheSkin = "through the skin"

// routeWords are the words of a name for the route of a dose: what is swallowed or injected is taken up,
// whatever else is said, and "under the skin" is no way of treating the skin.
var routeWords = map[string]string{"by mouth": "oral", "under the tongue": "oral", "under the skin": "injection", "into the muscle": "injection",
	"by vein": "injection", "in the nose": "nasal", "in the eye": "eye", "in the ear": "ear", "on the skin": "skin"}

// topicalForms are words of a dose that was not read which say where it is put.
var topicalForms = wordSet(`cream ointment oint lotion foam shampoo ophthalmic otic`)

// read reads a medicine with the way it is given, where its dose says it. A dose that was not understood may name
// further medicines.
func (c *Catalogue) read(name, dose string, d chart.Dosage) Reading {
	if !d.Read() {
		return c.readLoose(name, dose)
	}
	if d.Unit == "patch" || d.Unit == "ring" || d.Unit == "implant" { // its place is the skin, its effect is not
		return c.Read(name)
	}
	return c.Read(name + " " + cmp.Or(routeWords[d.Route], d.Route))
}

// related is what a dose says of another medicine that is not taken with it: "instead of colchicine", "30 min before calcium".
var related = regexp.MustCompile(`(?i)\b(?:instead of|in place of|before|after|apart from|away from|without|not with|unless|if)\b[^,;.]*`)

func (c *Catalogue) readLoose(name, dose string) Reading {
	where := ""
	for _, w := range fold(dose) {
		if topicalForms[w] {
			where = w
		}
		if w == "mg" || w == "mcg" || widelyTaken[w] {
			where = ""
			break
		}
	}
	r := c.Read(name + " " + where)
	for _, p := range c.Read(related.ReplaceAllString(dose, " ")).parts {
		if len(p.shown) > 4 && !slices.ContainsFunc(r.parts, func(q part) bool { return q.is == p.is }) {
			r.besides = append(r.besides, p.shown)
		}
	}
	return r
}

// salts are also names of medicines of their own.
var salts = wordSet(`potassium calcium zinc magnesium`)

// localWords say that a medicine is given where little of it is taken up.
var localWords = wordSet(`cream ointment oint gel lotion foam shampoo topical ophthalmic otic eye eyes ear ears scalp skin toothpaste mouthwash varnish`)

// widelyTaken are words that say it goes into the body all the same.
var widelyTaken = wordSet(`patch patches oral tablet tablets capsule capsules injection injectable subcutaneous subcutaneously subcut intramuscular intravenous vaginal`)

func wordSet(s string) map[string]bool {
	out := map[string]bool{}
	for w := range strings.FieldsSeq(s) {
		out[w] = true
	}
	return out
}

// fold parts a text into the words under which names are kept: lower case, hyphens, slashes
// and plus signs between words parted, apostrophes and full stops gone.
func fold(text string) []string {
	var b strings.Builder
	rs := []rune(strings.ToLower(text))
	for i, r := range rs {
		switch {
		case unicode.IsLetter(r) || unicode.IsDigit(r) || r == '%' || r == '#':
			b.WriteRune(r)
		case r == '.' && i > 0 && i+1 < len(rs) && unicode.IsDigit(rs[i-1]) && unicode.IsDigit(rs[i+1]):
			b.WriteRune(r)
		case r == '\'' || r == '’' || r == '.' || r == '®' || r == '™':
		default:
			b.WriteByte(' ')
		}
	}
	return strings.Fields(b.String())
}

// Read finds the medicines of the catalogue that a text names, as whole words, the longest
// names first, and the words before the dose that name something else.
func (c *Catalogue) Read(text string) (r Reading) {
	words := fold(text)
	dosed, behind, said := false, false, []string{}
	for i := 0; i < len(words); {
		n, found := c.longestAt(words[i:])
		if behind && n == 1 && salts[words[i]] {
			found = nil // "losartan potassium" is no potassium
		}
		behind = found != nil
		if found != nil {
			lot, known := Reading{said: found.shown}, len(r.parts)
			for k, x := range found.parts {
				lot.parts = append(lot.parts, part{x, found.shown, k, len(found.parts)})
				if !slices.ContainsFunc(r.parts, func(p part) bool { return p.is == x }) {
					r.parts = append(r.parts, part{x, found.shown, k, len(found.parts)})
				}
			}
			if len(r.parts) == known+len(lot.parts) { // "Lasix (furosemide)" is one
				r.several = append(r.several, lot)
			}
			r.local = r.local || found.local()
			i += n
			continue
		}
		w := words[i]
		said = append(said, w)
		switch {
		case w[0] >= '0' && w[0] <= '9':
			dosed = true
		case !dosed && !formWords[w] && w != "%" && w != "#":
			r.Strange = append(r.Strange, w)
		}
		i++
	}
	systemic := false
	for _, w := range said {
		r.local = r.local || localWords[w]
		systemic = systemic || widelyTaken[w]
	}
	if len(r.several) < 2 || c.together[ingredientsOf(r.parts)] {
		r.several = nil
	}
	all := " " + strings.Join(said, " ") + " "
	for _, w := range []string{" under the skin ", " into the skin ", " through the skin "} {
		systemic = systemic || strings.Contains(all, w)
	}
	throughSkin := slices.ContainsFunc(r.parts, func(p part) bool { return p.is.is(throughTheSkin) })
	r.local = r.local && !systemic && !throughSkin
	for _, w := range []string{" extended release ", " er ", " xr ", " sr ", " xl ", " la ", " cr "} {
		r.extended = r.extended || strings.Contains(all, w)
	}
	return r
}

// ingredientsOf is what parts are, whatever their order.
func ingredientsOf(parts []part) string {
	names := make([]string, len(parts))
	for i, p := range parts {
		names[i] = p.is.Name
	}
	slices.Sort(names)
	return strings.Join(names, " + ")
}

// longestAt finds the longest name that words begin with.
func (c *Catalogue) longestAt(words []string) (int, *named) {
	for n := min(c.longest, len(words)); n > 0; n-- {
		if found := c.phrases[strings.Join(words[:n], " ")]; found != nil {
			return n, found
		}
	}
	return 0, nil
}

// onlyLocal says whether an ingredient is made for skin, eye or ear alone.
func (x *Ingredient) onlyLocal() bool { return len(x.Forms) > 0 && onlyLocal(x.Forms) }

func onlyLocal(forms []Form) bool {
	for _, f := range forms {
		local := false
		for w := range strings.FieldsSeq(f.Name) {
			local = local || localWords[w]
		}
		if !local {
			return false
		}
	}
	return true
}
