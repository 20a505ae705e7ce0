package note

import (
	"regexp"
	"strings"
)

// Snippet is a text with fields, brought in by typing its key.
type Snippet struct {
	Key   string `yaml:"key" json:"key"`
	Title string `yaml:"title" json:"title"`
	Text  string `yaml:"text" json:"text"`
}

var snippetKey = regexp.MustCompile(`^[a-z][a-z0-9]{1,19}$`)

// Check says what is wrong with a snippet.
func (s Snippet) Check() error {
	switch {
	case !snippetKey.MatchString(s.Key):
		return fault(s.Key, "the key %q is not 2 to 20 small letters and digits", s.Key)
	case strings.TrimSpace(s.Text) == "":
		return fault(s.Key, "the snippet %q has no text", s.Key)
	case len(s.Text) > 4000:
		return fault(s.Key, "the snippet %q is longer than 4,000 characters", s.Key)
	}
	depth := 0
	for _, r := range s.Text {
		switch r {
		case '{':
			depth++
		case '}':
			depth--
		}
		if depth < 0 || depth > 1 {
			return fault(s.Key, "the fields of %q are not closed one by one", s.Key)
		}
	}
	if depth != 0 {
		return fault(s.Key, "a field of %q is not closed", s.Key)
	}
	return nil
}
