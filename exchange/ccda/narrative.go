package ccda

import (
	"html"
	"strings"
)

// kept are the elements of a narrative that are laid out, as the HTML they become. Whatever else stands in a narrative is written as its
// text; no attribute of the sender's is kept but the identifier, by which entries point at words, and how many columns a cell spans.
var kept = map[string]string{"table": "table", "thead": "thead", "tbody": "tbody", "tfoot": "tfoot", "tr": "tr", "th": "th", "td": "td", "list": "ul", "item": "li",
	"paragraph": "p", "content": "span", "br": "br", "sub": "sub", "sup": "sup", "caption": "caption", "footnote": "small"}

// styles are the styles of a narrative that are understood; the rest is left out.
var styles = map[string]string{"Bold": "font-semibold", "Italics": "italic", "Underline": "underline", "Emphasis": "italic"}

// narrative writes a section's narrative as harmless HTML, and finds the words of each identifier.
func narrative(n *node, words map[string]string) string {
	var b strings.Builder
	var write func(*node)
	write = func(n *node) {
		if n.name == "" {
			b.WriteString(html.EscapeString(n.text))
			return
		}
		if id := n.get("ID"); id != "" {
			if _, twice := words[id]; !twice {
				words[id] = n.says()
			}
		}
		tag := kept[n.name]
		if n.name == "list" && n.get("listType") == "ordered" {
			tag = "ol"
		}
		if tag != "" {
			b.WriteString("<" + tag)
			if id := n.get("ID"); id != "" {
				b.WriteString(` data-said="` + html.EscapeString(id) + `"`)
			}
			if class := styles[n.get("styleCode")]; class != "" {
				b.WriteString(` class="` + class + `"`)
			}
			for _, span := range []string{"colspan", "rowspan"} {
				if v := n.get(span); v != "" && strings.Trim(v, "0123456789") == "" && len(v) < 3 {
					b.WriteString(" " + span + `="` + v + `"`)
				}
			}
			b.WriteString(">")
			if tag == "br" {
				return
			}
		}
		for _, c := range n.nodes {
			write(c)
		}
		if tag != "" {
			b.WriteString("</" + tag + ">")
		}
	}
	if n != nil {
		for _, c := range n.nodes {
			write(c)
		}
	}
	return strings.TrimSpace(b.String())
}
