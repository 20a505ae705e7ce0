package safety

import (
	"slices"
	"strings"
	"unicode"

	"deftledger/core/chart"
)

// Names lists the generic names of ingredients and products, in alphabetical order.
func (c *Catalogue) Names() []string {
	var out []string
	for _, x := range c.k.Ingredients {
		out = append(out, x.Name)
	}
	for _, p := range c.k.Products {
		out = append(out, p.Name)
	}
	slices.Sort(out)
	return out
}

// Called lists every name that a medicine goes by: generic names, brands and others.
func (c *Catalogue) Called() []string {
	out := c.Names()
	for _, x := range c.k.Ingredients {
		out = append(append(out, x.Brands...), x.Also...)
	}
	for _, p := range c.k.Products {
		out = append(append(out, p.Brands...), p.Also...)
	}
	return out
}

// InProse lists the generic names that mean a medicine wherever they stand in a sentence:
// not what is a food, a test or a vaccine as well.
func (c *Catalogue) InProse() []string { return slices.Clone(c.prose) }

// ToldIn lists those of InProse that stand in a text, in small letters.
func (c *Catalogue) ToldIn(text string) (out []string) {
	lower := strings.ToLower(text)
	seen := map[string]bool{}
	for w := range strings.FieldsFuncSeq(lower, noLetter) {
		if seen[w] {
			continue
		}
		seen[w] = true
		for _, m := range c.proseBy[w] {
			if strings.Contains(lower, m) {
				out = append(out, m)
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

func noLetter(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }

// indexProse lists what InProse and ToldIn look for, once.
func (c *Catalogue) indexProse() {
	c.prose, c.proseBy = c.Names(), map[string][]string{}
	c.prose = slices.DeleteFunc(c.prose, func(n string) bool {
		x := c.byName[n]
		return x != nil && slices.Contains(x.Groups, notInProse)
	})
	for _, n := range c.prose {
		n = strings.ToLower(n)
		for w := range strings.FieldsFuncSeq(n, noLetter) {
			c.proseBy[w] = append(c.proseBy[w], n)
			break
		}
	}
}

// mostDosages is how many doses are remembered as they were read; there are far fewer ways of writing one.
const mostDosages = 20_000

// Dosage reads how a medicine is taken, each text once; the zero value for what is not read.
func (c *Catalogue) Dosage(text string) chart.Dosage {
	if d, read := c.dosages.Load(text); read {
		return d.(chart.Dosage)
	}
	d, _ := chart.ReadDosage(text)
	if c.remembered.Add(1) > mostDosages {
		c.dosages.Clear()
		c.remembered.Store(1)
	}
	c.dosages.Store(text, d)
	return d
}

// Classes lists the groups of every ingredient that a text names, as on a medicine list
// ("Losartan 50 mg"); none for one that is not known.
func (c *Catalogue) Classes(text string) (out []string) {
	for _, p := range c.Read(text).parts {
		out = append(out, p.is.Groups...)
	}
	return out
}

// Ingredients lists the ingredients that a text names, by their generic names.
func (c *Catalogue) Ingredients(text string) (out []string) {
	for _, p := range c.Read(text).parts {
		out = append(out, p.is.Name)
	}
	return out
}

// NamesIn are the ingredients of the medicines that words name, each word by itself, because a note is no list.
func (c *Catalogue) NamesIn(text string) (out []string) {
	seen := map[string]bool{}
	for w := range strings.FieldsFuncSeq(text, func(r rune) bool { return !unicode.IsLetter(r) && r != '-' }) {
		if w = strings.ToLower(w); len(w) > 3 && !seen[w] {
			seen[w] = true
			out = append(out, c.Ingredients(w)...)
		}
	}
	return out
}

// AllergyClasses lists the groups that an allergy rules out: those of the ingredient it is
// to, or the one it names. "Penicillin" names all penicillins.
func (c *Catalogue) AllergyClasses(substance string) (out []string) {
	is := c.Allergen(substance)
	for _, name := range is.Ingredients {
		out = append(out, c.byName[name].Groups...)
	}
	for _, g := range is.Groups {
		out = append(out, strings.TrimSuffix(g, anyKind))
	}
	return out
}
