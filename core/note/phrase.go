package note

import (
	"errors"
	"strings"
)

// A phrase is a sentence template of an interview:
//
//	{link}            the answer as it reads; without it the sentence is left out
//	{link|words}      the answer, or these words without one
//	{link:noun}       the number with the noun: "no falls", "one fall", "two falls"
//	{link?yes|no}     one of two phrases, by the answer to a yes-or-no question
//	[words {link}]    left out when the answer in it is missing
//	{Patient}         "A 46-year-old man"
type phrase struct {
	template string
	nodes    []node
	person   bool
}

type node struct {
	text     string // literal
	name     string
	noun     string
	fallback string
	hasElse  bool
	yes, no  []node
	choice   bool
	optional []node
}

type phraseParser struct {
	s  string
	at int
}

var errPhrase = errors.New("a bracket is not closed, or one is closed that was not opened")

func parsePhrase(t string) (phrase, error) {
	p := phraseParser{s: t}
	nodes, err := p.nodes("")
	if err == nil && p.at != len(t) {
		err = errPhrase
	}
	out := phrase{template: t, nodes: nodes}
	for _, n := range out.names() {
		out.person = out.person || n == "Patient"
	}
	return out, err
}

func (p *phraseParser) nodes(until string) ([]node, error) {
	var out []node
	literal := strings.Builder{}
	flush := func() {
		if literal.Len() > 0 {
			out = append(out, node{text: literal.String()})
			literal.Reset()
		}
	}
	for p.at < len(p.s) {
		c := p.s[p.at]
		switch {
		case strings.IndexByte(until, c) >= 0:
			flush()
			return out, nil
		case c == '[':
			flush()
			p.at++
			inner, err := p.nodes("]")
			if err != nil {
				return nil, err
			}
			if p.at++; p.at > len(p.s) {
				return nil, errPhrase
			}
			out = append(out, node{optional: inner})
		case c == '{':
			flush()
			p.at++
			n, err := p.placeholder()
			if err != nil {
				return nil, err
			}
			out = append(out, n)
		case c == ']' || c == '}':
			return nil, errPhrase
		default:
			literal.WriteByte(c)
			p.at++
		}
	}
	flush()
	if until != "" {
		return nil, errPhrase
	}
	return out, nil
}

func (p *phraseParser) placeholder() (node, error) {
	end := strings.IndexAny(p.s[p.at:], "}?|:[{]")
	if end <= 0 {
		return node{}, errPhrase
	}
	n := node{name: p.s[p.at : p.at+end]}
	p.at += end
	take := func(until string) (string, error) {
		p.at++
		e := strings.IndexAny(p.s[p.at:], until)
		if e < 0 {
			return "", errPhrase
		}
		s := p.s[p.at : p.at+e]
		p.at += e
		return s, nil
	}
	var err error
	switch p.s[p.at] {
	case '|':
		n.hasElse = true
		n.fallback, err = take("}")
	case ':':
		n.noun, err = take("}")
	case '?':
		n.choice = true
		p.at++
		if n.yes, err = p.nodes("|"); err == nil {
			p.at++
			n.no, err = p.nodes("}")
		}
	}
	if err != nil || p.at >= len(p.s) || p.s[p.at] != '}' {
		return n, errPhrase
	}
	p.at++
	return n, nil
}

// names lists the placeholders of a phrase.
func (p phrase) names() []string { return names(p.nodes) }

func names(ns []node) []string {
	var out []string
	for _, n := range ns {
		if n.name != "" {
			out = append(out, n.name)
		}
		for _, inner := range [][]node{n.optional, n.yes, n.no} {
			out = append(out, names(inner)...)
		}
	}
	return out
}

// evaluation writes phrases from answers.
type evaluation struct {
	person  string
	texts   map[string]string
	numbers map[string]string
	yes     map[string]bool
	known   map[string]Origin
	used    []string
}

// write returns the text; not ok when an answer is missing that the phrase needs.
func (e *evaluation) write(ns []node) (string, bool) {
	var b strings.Builder
	for _, n := range ns {
		switch {
		case n.optional != nil:
			used := len(e.used)
			if text, ok := e.write(n.optional); ok {
				b.WriteString(text)
			} else {
				e.used = e.used[:used]
			}
		case n.name == "":
			b.WriteString(n.text)
		case n.name == "Patient":
			b.WriteString(e.person)
		default:
			if _, ok := e.known[n.name]; !ok {
				if !n.hasElse {
					return "", false
				}
				b.WriteString(n.fallback)
				continue
			}
			e.used = append(e.used, n.name)
			switch {
			case n.choice:
				branch := n.no
				if e.yes[n.name] {
					branch = n.yes
				}
				text, ok := e.write(branch)
				if !ok {
					return "", false
				}
				b.WriteString(text)
			case n.noun != "":
				b.WriteString(Count(e.numbers[n.name], n.noun))
			default:
				b.WriteString(e.texts[n.name])
			}
		}
	}
	return b.String(), true
}
