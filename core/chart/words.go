package chart

import (
	"slices"
	"strings"
)

// WordsBegin says whether every word asked for begins a word of a text: how lists are
// searched by a few letters. Nothing asked for fits everything.
func WordsBegin(text, asked string) bool {
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return strings.ContainsRune(" ,()/-", r) })
	for _, w := range strings.Fields(strings.ToLower(asked)) {
		if !slices.ContainsFunc(words, func(s string) bool { return strings.HasPrefix(s, w) }) {
			return false
		}
	}
	return true
}

// Tidy is what somebody typed without the spaces around it, and with single ones within.
func Tidy(words string) string { return strings.Join(strings.Fields(words), " ") }

// Span writes a reference range as a laboratory prints it; either end may be empty, and with
// neither there is none.
func Span(low, high string) string {
	switch {
	case low != "" && high != "":
		return low + "-" + high
	case low != "":
		return ">=" + low
	case high != "":
		return "<=" + high
	}
	return ""
}
