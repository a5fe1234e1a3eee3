package format

import (
	"bufio"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
)

// feedSpace is the namespace of what RSS has no word for.
const feedSpace = "urn:dogbane:feed:1"

// rss writes RSS 2.0: an item for each product, what it costs in our namespace.
type rss struct {
	light
	to *bufio.Writer
	x  *xml.Encoder
}

func newRSS(to io.Writer, about About) (Writer, error) {
	f := &rss{to: bufio.NewWriter(to)}
	f.x = xml.NewEncoder(f.to)
	_, err := fmt.Fprintf(f.to, xml.Header+`<rss version="2.0" xmlns:p="%s"><channel>`+"\n", feedSpace)
	for _, e := range [][2]string{{"title", about.Title}, {"link", about.Link},
		{"description", "What " + about.Title + " shows: every product with its price."}} {
		if err == nil {
			err = f.element(e[0], e[1])
		}
	}
	return f, err
}

// element writes a text in a name.
func (f *rss) element(name, text string) error {
	if err := f.x.EncodeElement(text, xml.StartElement{Name: xml.Name{Local: name}}); err != nil {
		return fmt.Errorf("write the feed: %w", err)
	}
	return nil
}

func (f *rss) Write(lines ...json.RawMessage) error { return each(lines, f.line) }

func (f *rss) line(data json.RawMessage) error {
	l, err := readLine(data)
	if err != nil {
		return err
	}
	title := l.Name
	if title == "" {
		title = l.SKU
	}
	if _, err = f.to.WriteString("<item>"); err != nil {
		return err
	}
	if err = f.element("title", title); err == nil {
		err = f.x.EncodeElement(l.SKU, xml.StartElement{Name: xml.Name{Local: "guid"},
			Attr: []xml.Attr{{Name: xml.Name{Local: "isPermaLink"}, Value: "false"}}})
	}
	for _, e := range [][2]string{{"p:sku", l.SKU}, {"p:price", l.Price}, {"p:currency", l.Currency},
		{"p:reference", l.Reference}, {"p:until", l.Until}} {
		if err == nil && e[1] != "" {
			err = f.element(e[0], e[1])
		}
	}
	if err == nil {
		_, err = f.to.WriteString("</item>\n")
	}
	return err
}

func (f *rss) End() error {
	if _, err := f.to.WriteString("</channel></rss>\n"); err != nil {
		return err
	}
	return f.to.Flush()
}
