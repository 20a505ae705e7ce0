package ccda

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"

	"golang.org/x/text/encoding/ianaindex"
)

// ErrUnreadable is why a document cannot be read at all.
var ErrUnreadable = errors.New("it cannot be read as a clinical document")

// Limits of what is read, so that a hostile document costs no more than a large one.
const (
	MaxSize   = 40 << 20
	mostNodes = 2_000_000
	mostDeep  = 200
)

// node is an element of the document. Names are without their namespaces; texts between elements are nodes without a name.
type node struct {
	name  string
	attr  []xml.Attr
	text  string
	nodes []*node
}

// blank is any blank between elements: nodes are not changed once they are read.
var blank = &node{text: " "}

// parse reads XML as it is, without its type definition: a document that brings one is refused, because no clinical document needs
// one and entities are how such documents do harm.
func parse(raw []byte) (*node, error) {
	if len(raw) > MaxSize {
		return nil, fmt.Errorf("%w: it is larger than %d MB", ErrUnreadable, MaxSize>>20)
	}
	d := xml.NewDecoder(bytes.NewReader(raw))
	d.CharsetReader = func(label string, in io.Reader) (io.Reader, error) {
		e, err := ianaindex.IANA.Encoding(label)
		if err != nil || e == nil {
			return nil, fmt.Errorf("its letters are written as %q, which is not known here", label)
		}
		return e.NewDecoder().Reader(in), nil
	}
	var root *node
	var open []*node
	var slab []node
	count := 0
	for {
		token, err := d.RawToken() // names are matched here: translating each name space takes a third of the time
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("%w: %s", ErrUnreadable, strings.TrimPrefix(err.Error(), "XML syntax error on "))
		}
		switch t := token.(type) {
		case xml.Directive:
			return nil, fmt.Errorf("%w: it brings a type definition of its own, which is not accepted", ErrUnreadable)
		case xml.StartElement:
			if count++; count > mostNodes || len(open) > mostDeep {
				return nil, fmt.Errorf("%w: it has too many parts, or too deep ones", ErrUnreadable)
			}
			if len(slab) == 0 { // many at a time: one by one they cost a third of the reading
				slab = make([]node, 256)
			}
			n := &slab[0]
			slab = slab[1:]
			n.name, n.attr = t.Name.Local, t.Attr
			if len(open) > 0 {
				up := open[len(open)-1]
				up.nodes = append(up.nodes, n)
			} else if root == nil {
				root = n
			}
			open = append(open, n)
		case xml.EndElement:
			if len(open) == 0 || open[len(open)-1].name != t.Name.Local {
				return nil, fmt.Errorf("%w: its parts do not close one by one (%s)", ErrUnreadable, t.Name.Local)
			}
			open = open[:len(open)-1]
		case xml.CharData:
			if len(open) > 0 && len(t) > 0 {
				if count++; count > mostNodes {
					return nil, fmt.Errorf("%w: it has too many parts", ErrUnreadable)
				}
				up := open[len(open)-1]
				said := blank // between elements nearly all is blank
				if len(bytes.TrimSpace(t)) > 0 {
					said = &node{text: string(t)}
				}
				up.nodes = append(up.nodes, said)
			}
		}
	}
	if len(open) > 0 {
		return nil, fmt.Errorf("%w: it ends in the middle", ErrUnreadable)
	}
	if root == nil {
		return nil, fmt.Errorf("%w: it is empty", ErrUnreadable)
	}
	return root, nil
}

// all are the elements below n along a path of names.
func (n *node) all(path ...string) (out []*node) {
	if n == nil {
		return nil
	}
	for _, c := range n.nodes {
		if c.name != path[0] || c.name == "" {
			continue
		}
		if len(path) == 1 {
			out = append(out, c)
		} else {
			out = append(out, c.all(path[1:]...)...)
		}
	}
	return out
}

// one is the first of them; nil where there is none.
func (n *node) one(path ...string) *node {
	if n == nil || len(path) == 0 {
		return n
	}
	for _, c := range n.nodes {
		if c.name == path[0] && c.name != "" {
			if found := c.one(path[1:]...); found != nil {
				return found
			}
		}
	}
	return nil
}

// get is an attribute; "" where there is none, or no element.
func (n *node) get(name string) string {
	if n == nil {
		return ""
	}
	for _, a := range n.attr {
		if a.Name.Local == name && a.Name.Space != "xmlns" {
			return strings.TrimSpace(a.Value)
		}
	}
	return ""
}

// says is all the text in an element, with single blanks.
func (n *node) says() string {
	var b strings.Builder
	var walk func(*node)
	walk = func(n *node) {
		if n == nil {
			return
		}
		b.WriteString(n.text)
		for _, c := range n.nodes {
			walk(c)
		}
		switch n.name {
		case "td", "th", "item", "paragraph", "br", "caption", "tr", "list":
			b.WriteString(" ")
		}
	}
	walk(n)
	return strings.Join(strings.Fields(b.String()), " ")
}

// lines is all the text in an element with its lines, each with single blanks: a report is read by them.
func (n *node) lines() string {
	if n == nil {
		return ""
	}
	var b strings.Builder
	var walk func(*node)
	walk = func(n *node) {
		b.WriteString(n.text)
		for _, c := range n.nodes {
			walk(c)
		}
		if n.name == "br" || n.name == "paragraph" || n.name == "item" || n.name == "tr" {
			b.WriteString("\n")
		}
	}
	walk(n)
	var out []string
	for line := range strings.Lines(strings.ReplaceAll(b.String(), "\r", "\n")) {
		out = append(out, strings.Join(strings.Fields(line), " "))
	}
	return strings.Trim(strings.Join(out, "\n"), "\n")
}

// is says whether an element follows a template, of whatever edition.
func (n *node) is(template string) bool {
	if n == nil {
		return false
	}
	for _, c := range n.nodes {
		if c.name == "templateId" && c.get("root") == template {
			return true
		}
	}
	return false
}
