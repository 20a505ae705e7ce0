package note

import (
	"regexp"
	"slices"
	"strings"

	"deftledger/core/order"
)

// Promised is what the words of a plan promise, held against what was done.
type Promised struct {
	Tests     []order.Test // the laboratory's list
	Ordered   []string     // codes of the tests ordered at the visit, or still under way
	Medicines []string     // names of medicines, in small letters
	Active    []string     // names on the medicine list
	House     []string     // names of tests done in the house at this visit
	Vaccines  [][]string   // for each vaccine of the house, the words that name it, in small letters
	Given     [][]string   // the same for those given at this visit
	Referred  bool         // a referral of this visit is signed or prepared, or a letter of it filed
	Imaged    bool         // one of them asks for imaging
	Pictures  []string     // names of imaging and procedures ordered at this visit, or prepared
	Back      bool         // a return is asked of the front desk
}

// conditional words put off the clause they stand in and all that follows in the sentence.
var conditional = []string{"if ", "unless ", "consider", "later", "next visit", "in case "}

// heldBack are words that take a promise back within a clause, and within the clauses
// after it that do not begin with an act of their own.
var heldBack = []string{"no ", "not ", "without ", "stop", "stopped", "avoid", "hold ", "discontinue", "declines", "declined", "refuses",
	"already", "continue", "unchanged", "was ", "were ", "had ", "as due", "due at", "pharmacy"}

// acts begin a clause of its own: "stop ibuprofen, start colchicine".
var acts = map[string]bool{"start": true, "begin": true, "add": true, "order": true, "check": true, "recheck": true, "repeat": true,
	"get": true, "send": true, "give": true, "increase": true, "raise": true, "switch": true, "change": true, "prescribe": true,
	"obtain": true, "draw": true, "take": true, "use": true, "refer": true, "referral": true, "return": true, "then": true, "see": true,
	"follow": true}

var (
	parting   = regexp.MustCompile(`[,;:]\s+| and | but | then |\s+[-–]\s+`)
	inPlaceOf = regexp.MustCompile(` (instead of|in place of|rather than) .*`)
	referral  = regexp.MustCompile(`\b(refer|referral|referred)\b`)
	noLetter  = regexp.MustCompile(`\breferred pain\b`)
	comeBack  = regexp.MustCompile(`\b(return|follow[- ]?up|f/u|rtc|come back|be back|see (her|him|them|patient|pt) (back|again)|see again|revisit)\b(.*?\b(in|within|after))? (\d+|an?|one|two|three|four|five|six|eight|ten|twelve|a few|a couple of)( ?(-|–|to|or) ?\w+)? ?(d|days?|w|wks?|weeks?|mos?|m|months?|y|yrs?|years?)\b`)
	elsewhere = regexp.MustCompile(`\b(return to (work|school|play|sport|sports|duty)|(follow[- ]?up|f/u) (with|at|labs?|ct|mri|imaging|ultrasound|x-?rays?|tests?)\b)`)
	shot      = regexp.MustCompile(`\b(vaccines?|vaccinations?|shots?|boosters?|immuni[sz]ations?|tdap|dtap|mmr)\b`)
)

// pictures are words that mean imaging, with how what is ordered is then called; "" where any
// is meant.
var pictures = []struct {
	word   *regexp.Regexp
	called string
}{
	{regexp.MustCompile(`\b(x-?rays?|radiographs?|chest film|cxr)\b`), "X-ray"},
	{regexp.MustCompile(`\b(ultrasound|sonogram|doppler|duplex)\b`), "Ultrasound"},
	{regexp.MustCompile(`\b(ct|cat scan)\b`), "CT"},
	{regexp.MustCompile(`\bmri\b`), "MRI"},
	{regexp.MustCompile(`\b(mammogram|mammography)\b`), "Mammogram"},
	{regexp.MustCompile(`\b(dexa|dxa|bone density)\b`), "Bone density"},
	{regexp.MustCompile(`\b(echocardiogram|echo)\b`), "Echocardiogram"},
	{regexp.MustCompile(`\bscan\b`), ""},
}

// pictured says which imaging a clause promises that nobody ordered; ok is false for none.
func pictured(text string, p Promised) (called string, ok bool) {
	for _, x := range pictures {
		if !x.word.MatchString(text) {
			continue
		}
		return x.called, !slices.ContainsFunc(p.Pictures, func(n string) bool { return strings.HasPrefix(n, x.called) })
	}
	return "", false
}

// measured are words that mean the level of a medicine, not the medicine.
var measured = regexp.MustCompile(`\b(levels?|troughs?|check|recheck|repeat|measure|draw|labs?|serum)\b`)

// within says whether the words of one name stand in another, or the other way round.
func within(a, b []string) bool {
	if len(a) > len(b) {
		a, b = b, a
	}
	for i := 0; len(a) > 0 && i+len(a) <= len(b); i++ {
		if slices.Equal(b[i:i+len(a)], a) {
			return true
		}
	}
	return false
}

// stretch is a part of a sentence that promises for itself.
type stretch struct {
	text  string // in small letters, between two blanks
	words []string
	at    map[string][]int // where each word stands
	held  bool
}

// stretchesOf parts a sentence where another act can begin.
func stretchesOf(sentence string) (out []stretch) {
	lower := " " + strings.ToLower(strings.Trim(sentence, ".!? ")) + " "
	holds := func(text string, words []string) bool {
		return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(text, " "+w) })
	}
	put, held := false, false
	for _, text := range parting.Split(lower, -1) {
		text = inPlaceOf.ReplaceAllString(" "+strings.TrimSpace(text)+" ", " ")
		words := strings.FieldsFunc(text, func(r rune) bool { return !(r >= 'a' && r <= 'z' || r >= '0' && r <= '9' || r == '-') })
		if len(words) == 0 {
			continue
		}
		put = put || holds(text, conditional)
		held = holds(text, heldBack) || held && !acts[words[0]]
		at := map[string][]int{}
		for i, w := range words {
			at[w] = append(at[w], i)
		}
		out = append(out, stretch{text, words, at, put || held})
	}
	return out
}

// in says whether the words stand in a clause, in their order and side by side.
func (c stretch) in(f []string) bool {
	return len(f) > 0 && slices.ContainsFunc(c.at[f[0]], func(i int) bool {
		return i+len(f) <= len(c.words) &&
			slices.Equal(c.words[i:i+len(f)], f)
	})
}

// from is a clause from some words on, as it was written in small letters.
func (c stretch) from(f []string) string {
	at := strings.Index(c.text, f[0])
	if at < 0 {
		return strings.Join(f, " ")
	}
	return strings.TrimRight(strings.TrimSpace(c.text[at:]), ".")
}

// alone are words by which tests are found and that are also said without meaning one: of
// diseases, organs, medicines.
var alone = func() map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(`
	abo abscess acromegaly acth adrenal aids albuminuria aldosteronism allergy aminophylline anemia antiphospholipid
	antithrombin aps arthritis ascites bacteremia bacteria biopsy blood borrelia calcidiol calcitriol calcium calprotectin
	candida cardiac cat celiac chickenpox child cholesterol clap clearance clostridium clot coagulation coeliac colitis
	complement copper corona coumadin count covid csf cyanocobalamin cyclosporine dermatophyte dhea diabetes diarrhea
	differential drug dvt egg electrolyte electrolytes embolism encephalopathy enteric estradiol estrogen fats fertility
	film fit flu fna free giardia glucola glucose gluten glycated gout graves hashimoto hbv hcv heart hemolysis hepatic
	hepatitis herpes hiv hormone hpv hydrocortisone ibd iga ige igf igg igm immunoglobulins infection inflammation insulin
	iron jaundice ketoacidosis kidney lead level liver lues lupus lyme mag menopause metabolic milk mono monoclonal
	mononucleosis mpo myeloma nail nephrolithiasis nutrition oestradiol ovarian overdose ovulation pancreas pancreatitis
	panel papilloma paracetamol parasites parathyrin parathyroid pathology peanut phenobarb phlegm phosphorus pleural
	pneumonia pollen pr3 preeclampsia pregnancy prenatal prostate proteinuria pus ragweed renal retinol rnp rsv salmonella
	salts screening sed sepsis shrimp sickle sjogren smith spondylitis ssa ssb std sti stones stool strep sugar syphilis
	test testosterone thalassemia thrombocytes thyroid thyroxine tinea titer tocopherol total treponema trich tuberculosis
	urea urine uti vasculitis venom warfarin wilson worms wound yeast`) {
		out[w] = true
	}
	return out
}()

// Unkept lists what a plan's words promise and nothing holds, and tests ordered that
// the plan does not tell of. It points out, it does not decide: none of it stops the
// signature. Orders that the plan is silent about stand under it anyway: kind "told"
// is shown where the list is read, and does not call for a reading by itself.
func Unkept(plan string, p Promised) []Point {
	var out []Point
	said := map[string]bool{}                   // tests the plan speaks of
	phrases := make([][][]string, len(p.Tests)) // the ways in which each test is named
	for i, t := range p.Tests {
		name, _, _ := strings.Cut(t.Name, " with ")
		phrases[i] = append(phrases[i], strings.Fields(strings.ToLower(name)))
		for _, w := range append(slices.Clone(t.Also), t.Code) {
			if w = strings.ToLower(w); len(w) > 2 && !alone[w] {
				phrases[i] = append(phrases[i], strings.Fields(w))
			}
		}
	}
	medicines := make([][]string, len(p.Medicines))
	substances := make([]bool, len(p.Tests)) // tests that are called like a medicine of the plan
	for i, m := range p.Medicines {
		medicines[i] = strings.Fields(strings.ToLower(m))
		for k := range p.Tests {
			substances[k] = substances[k] || slices.ContainsFunc(phrases[k], func(f []string) bool { return within(f, medicines[i]) })
		}
	}
	for _, s := range Sentences(plan) {
		promised := func(key, says, does string) {
			if !said[key] {
				said[key] = true
				out = append(out, Point{Kind: "promise", Part: Plan, Says: says, Why: "“" + strings.TrimSpace(s) + "”", Ref: "typed", Does: does})
			}
		}
		for _, c := range stretchesOf(s) {
			// Several tests may answer to one word, as "tsh" does; any of them keeps what it promises, and the
			// one that is called so itself is meant.
			by := map[string][]int{}
			var words []string
			for k := range p.Tests {
				longest := ""
				for _, f := range phrases[k] {
					if w := strings.Join(f, " "); len(w) > len(longest) && c.in(f) {
						longest = w
					}
				}
				if longest == "" || substances[k] && !measured.MatchString(c.text) {
					continue
				}
				if by[longest] == nil {
					words = append(words, longest)
				}
				by[longest] = append(by[longest], k)
			}
			for _, w := range words {
				meant, kept := by[w][0], c.held
				for _, k := range by[w] {
					t := p.Tests[k]
					said[t.Code] = true
					name := strings.Join(phrases[k][0], " ")
					kept = kept || slices.ContainsFunc(p.House, func(h string) bool { return strings.Contains(strings.ToLower(h), name) }) || slices.Contains(p.Ordered, t.Code) ||
						slices.ContainsFunc(p.Tests, func(o order.Test) bool { return slices.Contains(p.Ordered, o.Code) && covers(o, t) })
					if strings.EqualFold(t.Code, w) || name == w {
						meant = k
					}
				}
				if t := p.Tests[meant]; !kept {
					promised("test "+t.Code, t.Name+" is in the plan, not ordered", "order "+t.Code)
				}
			}
			for k, m := range p.Medicines {
				if c.held || !c.in(medicines[k]) ||
					slices.ContainsFunc(p.Active, func(a string) bool { return strings.Contains(strings.ToLower(a), m) }) {
					continue
				}
				promised("medicine "+m, strings.ToUpper(m[:1])+m[1:]+" is in the plan, not on the medicine list", "prescribe "+c.from(medicines[k]))
			}
			if c.held {
				continue
			}
			if !p.Referred && referral.MatchString(c.text) && !noLetter.MatchString(c.text) {
				promised("referral", "A referral is in the plan, none of this visit is signed", "refer")
			}
			if called, ok := pictured(c.text, p); ok && !p.Imaged && !referral.MatchString(c.text) {
				promised("imaging "+called, "Imaging is in the plan, not ordered", "picture "+strings.TrimSpace(c.text))
			}
			if !p.Back && comeBack.MatchString(c.text) && !elsewhere.MatchString(c.text) {
				promised("return", "A return is in the plan, not asked of the front desk", "")
			}
			if shot.MatchString(c.text) {
				if w, ok := unvaccinated(c, p); ok {
					promised("vaccine "+w, strings.ToUpper(w[:1])+w[1:]+" vaccine is in the plan, neither given nor ordered at this visit", "vaccine "+w)
				}
			}
		}
	}
	for _, t := range p.Tests {
		if slices.Contains(p.Ordered, t.Code) && !said[t.Code] && strings.TrimSpace(plan) != "" &&
			!slices.ContainsFunc(p.Tests, func(o order.Test) bool { return said[o.Code] && covers(t, o) }) {
			out = append(out, Point{Kind: "told", Part: Plan, Says: t.Name + " is ordered, and the plan does not say so",
				Why: "ordered at this visit", Ref: "typed"})
		}
	}
	return out
}

// unvaccinated finds a vaccine that a clause names and nobody gave, by the word that
// names it.
func unvaccinated(c stretch, p Promised) (string, bool) {
	for _, names := range p.Vaccines {
		for _, w := range names {
			if c.in([]string{w}) && !slices.ContainsFunc(p.Given, func(given []string) bool { return slices.Contains(given, w) }) {
				return w, true
			}
		}
	}
	return "", false
}

// covers says whether a panel holds every value of another test.
func covers(panel, t order.Test) bool {
	return len(t.Analytes) > 0 && !slices.ContainsFunc(t.Analytes, func(a order.Analyte) bool {
		return !slices.ContainsFunc(panel.Analytes, func(b order.Analyte) bool { return a.LOINC == b.LOINC })
	})
}
