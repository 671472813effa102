package page

import (
	"fmt"
	"slices"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

const headAtom = atom.Head

// take looks for the elements that are written down in wanted, outside of templates and foreign
// content, and returns how many there are. Where out is set, it takes them off the tree.
func take(n *html.Node, wanted []string, out bool) int {
	found := 0
	for c := n.FirstChild; c != nil; {
		next := c.NextSibling
		if c.Type == html.ElementNode && c.Namespace == "" {
			if i := slices.Index(wanted, shallow(c)); i >= 0 {
				wanted = slices.Delete(slices.Clone(wanted), i, i+1)
				found++
				if out {
					n.RemoveChild(c)
				}
				c = next
				continue
			}
		}
		if c.DataAtom != atom.Template {
			found += take(c, wanted, out)
		}
		c = next
	}
	return found
}

// shallow writes down an element without its children.
func shallow(n *html.Node) string {
	attrs := slices.Clone(n.Attr)
	slices.SortFunc(attrs, func(a, b html.Attribute) int { return strings.Compare(a.Key, b.Key) })
	return fmt.Sprint(n.Namespace, ":", n.Data, attrs)
}

// outline writes down a tree, with white space folded: a line more between two elements is no
// change to a page. Comments can be left out.
func outline(root *html.Node, comments bool) string {
	var s strings.Builder
	var text strings.Builder
	flush := func() {
		if t := strings.Join(strings.Fields(text.String()), " "); t != "" {
			fmt.Fprintf(&s, "%q\n", t)
		}
		text.Reset()
	}
	var walk func(n *html.Node, depth int)
	walk = func(n *html.Node, depth int) {
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			switch c.Type {
			case html.TextNode:
				text.WriteString(c.Data)
			case html.ElementNode:
				flush()
				fmt.Fprintf(&s, "%d <%s>\n", depth, shallow(c))
				walk(c, depth+1)
				flush()
				fmt.Fprintf(&s, "%d </>\n", depth)
			case html.CommentNode:
				if !comments {
					continue
				}
				fallthrough
			default:
				flush()
				fmt.Fprintf(&s, "%d %d %q\n", depth, c.Type, c.Data)
			}
		}
	}
	walk(root, 0)
	flush()
	return s.String()
}
