package fhir

import (
	"slices"
	"strings"

	"golang.org/x/net/html"
)

// laid are the elements of a narrative that are laid out; of others the words stay, and of those that act nothing.
var laid = strings.Fields("table thead tbody tfoot tr th td ul ol li p span div br sub sup caption small b i em strong dl dt dd pre")

var acting = strings.Fields("script style iframe object embed form svg math template noscript title head")

// narrated writes the XHTML of a narrative as harmless HTML: no attribute of the sender's is kept but the identifier, by which entries
// point at words, and how many columns a cell spans.
func narrated(div string) string {
	if div == "" {
		return ""
	}
	nodes, err := html.ParseFragment(strings.NewReader(div), nil)
	if err != nil {
		return html.EscapeString(div)
	}
	var b strings.Builder
	var write func(*html.Node, int)
	write = func(n *html.Node, deep int) {
		if n.Type == html.TextNode {
			b.WriteString(html.EscapeString(n.Data))
			return
		}
		if n.Type == html.ElementNode && slices.Contains(acting, n.Data) || deep > 200 {
			return
		}
		tag := ""
		if n.Type == html.ElementNode {
			switch {
			case slices.Contains(laid, n.Data):
				tag = n.Data
			case len(n.Data) == 2 && n.Data[0] == 'h' && n.Data[1] >= '1' && n.Data[1] <= '6':
				tag = "p" // its headings are no headings of our page
			}
		}
		if tag != "" {
			b.WriteString("<" + tag)
			for _, a := range n.Attr {
				switch {
				case a.Key == "id" && a.Val != "":
					b.WriteString(` data-said="` + html.EscapeString(a.Val) + `"`)
				case (a.Key == "colspan" || a.Key == "rowspan") && len(a.Val) < 3 && a.Val != "" && strings.Trim(a.Val, "0123456789") == "":
					b.WriteString(" " + a.Key + `="` + a.Val + `"`)
				}
			}
			b.WriteString(">")
			if tag == "br" {
				return
			}
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			write(c, deep+1)
		}
		if tag != "" {
			b.WriteString("</" + tag + ">")
		}
	}
	for _, n := range nodes {
		write(n, 0)
	}
	return strings.TrimSpace(b.String())
}
