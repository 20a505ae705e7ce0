package safety

import (
	"regexp"
	"slices"
	"strings"
)

// Allergic is what an allergy's substance is, as the rules see it.
type Allergic struct {
	Ingredients []string // generic names
	Groups      []string
	Strange     []string // what else stands there and is not known
	Known       bool     // also of what is no medicine
	Medicine    bool
}

// items part what is written as one substance: "penicillin and codeine", "Keflex, Ceclor".
var items = regexp.MustCompile(`[,;/+&]|\s(?:and|or)\s`)

// besideAllergens are words beside a substance that name none: what kind of thing it is, and what it did.
var besideAllergens = wordSet(`all any other others some family families class type group kind drug drugs medicine medicines medication medications product products
	allergy allergic reaction reactions severe mild moderate rash hives cough itching itch itchy swelling nausea vomiting diarrhea upset stomach gi asthma
	anaphylaxis anaphylactic angioedema shock hit red man syndrome intolerance intolerant sensitivity sensitive derivatives containing base preparations`)

// denials begin what says that there is no such allergy.
var denials = wordSet(`no not denies tolerates tolerated can never without`)

// Allergen reads what somebody is allergic to. What denies an allergy names nothing and is not known: it says less than
// it seems to, and stands to be looked at.
func (c *Catalogue) Allergen(substance string) (out Allergic) {
	for _, item := range items.Split(strings.ToLower(substance), -1) {
		words := fold(item)
		if len(words) == 0 {
			continue
		}
		one := Allergic{}
		if !denials[words[0]] {
			one = c.allergen(words)
		}
		if !one.Known {
			out.Strange = append(out.Strange, strings.TrimSpace(item))
			continue
		}
		out.Known, out.Medicine = true, out.Medicine || one.Medicine
		for _, x := range one.Ingredients {
			if !slices.Contains(out.Ingredients, x) {
				out.Ingredients = append(out.Ingredients, x)
			}
		}
		for _, x := range one.Groups {
			if !slices.Contains(out.Groups, x) {
				out.Groups = append(out.Groups, x)
			}
		}
		out.Strange = append(out.Strange, one.Strange...)
	}
	return out
}

// allergen reads one substance, the longest names first; a name that is both leads to what the word means and, unless that
// is a whole kind, to the ingredient.
func (c *Catalogue) allergen(words []string) (out Allergic) {
	for i := 0; i < len(words); {
		n, means := c.allergenAt(words[i:])
		m, found := c.longestAt(words[i:])
		if n == 0 && m == 0 {
			if w := words[i]; !formWords[w] && !besideAllergens[w] && (w[0] < '0' || w[0] > '9') {
				out.Strange = append(out.Strange, w)
			}
			i++
			continue
		}
		out.Known = true
		if n > 0 && means != "" {
			out.Groups, out.Medicine = append(out.Groups, means), true
		}
		if m > n || m == n && means != "" && !strings.HasSuffix(means, anyKind) {
			for _, x := range found.parts {
				out.Ingredients, out.Medicine = append(out.Ingredients, x.Name), true
			}
		}
		i += max(n, m)
	}
	if !out.Medicine { // what stands beside cats and pollen names no medicine
		out.Strange = nil
	}
	return out
}

// allergenAt finds the longest of the words for allergens that words begin with, and what it means.
func (c *Catalogue) allergenAt(words []string) (longest int, means string) {
	phrase := " " + strings.Join(words, " ") + " "
	for _, a := range c.words {
		for _, w := range a.folded {
			if n := strings.Count(w, " ") - 1; n > longest && strings.HasPrefix(phrase, w) {
				longest, means = n, a.means
			}
		}
	}
	return longest, means
}
