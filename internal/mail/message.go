// Package mail is what customers are told of by mail: the messages of offers that a purchase opened, and how they are
// handed to a mail server. Which offers open is the core's; rows belong to package store.
package mail

import (
	"fmt"
	"html"
	"regexp"
	"slices"
	"strings"
)

// Fields are what a message may name in braces.
type Fields struct {
	Name  string // of the customer
	Goods string // what was bought
	Until string // the last day of the offer, in words
	// Rewarded are the goods that are reduced, and More is how many there are besides.
	Rewarded []Goods
	More     int
}

// Goods is one of the goods that a message names, with the page where it is seen; "": there is none.
type Goods struct{ Name, Page string }

// Message is a mail in both of its forms.
type Message struct {
	To      string `json:"to"`
	Subject string `json:"subject"`
	Text    string `json:"text"`
	HTML    string `json:"html"`
}

var field = regexp.MustCompile(`\{[a-zA-Z]+\}`)

// known are the fields by their names, as each form of a mail has texts and links.
func (f *Fields) known(as form) map[string]string {
	return map[string]string{"{name}": as.text(f.Name), "{goods}": as.text(f.Goods), "{until}": as.text(f.Until),
		"{rewarded}": f.rewarded(as)}
}

// form is how texts and links are written in one form of a mail.
type form struct {
	text func(string) string
	link func(Goods) string
}

var (
	plainForm = form{func(s string) string { return s }, func(g Goods) string { return g.Name + " (" + g.Page + ")" }}
	htmlForm  = form{html.EscapeString, func(g Goods) string {
		return `<a href="` + html.EscapeString(g.Page) + `">` + html.EscapeString(g.Name) + "</a>"
	}}
	headerForm = form{func(s string) string { return s }, func(g Goods) string { return g.Name }}
)

func (f *Fields) rewarded(as form) string {
	var list []string
	for _, g := range f.Rewarded {
		if g.Page == "" {
			list = append(list, as.text(g.Name))
		} else {
			list = append(list, as.link(g))
		}
	}
	switch {
	case f.More > 0:
		list = append(list, fmt.Sprintf("%d others", f.More))
	case len(list) == 0:
		return ""
	}
	if last := len(list) - 1; last > 0 {
		return strings.Join(list[:last], ", ") + " and " + list[last]
	}
	return list[0]
}

// Unknown are the fields that a text names and that there are not.
func Unknown(text string) []string {
	names := (&Fields{}).known(plainForm)
	var list []string
	for _, name := range field.FindAllString(text, -1) {
		if _, exists := names[name]; !exists && !slices.Contains(list, name) {
			list = append(list, name)
		}
	}
	return list
}

// Write fills a text in. Fields that there are not stay as they were written; what the fields hold is never markup.
func Write(subject, text string, f Fields) Message {
	fill := func(text string, as form) string {
		names := f.known(as)
		return field.ReplaceAllStringFunc(text, func(name string) string {
			if value, exists := names[name]; exists {
				return value
			}
			return as.text(name)
		})
	}
	var paragraphs []string
	// The words of the text are escaped first: fields have no letters that would be.
	for _, p := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n\n") {
		if p = strings.TrimSpace(p); p != "" {
			paragraphs = append(paragraphs, "<p>"+strings.ReplaceAll(fill(html.EscapeString(p), htmlForm), "\n", "<br>")+"</p>")
		}
	}
	line := strings.NewReplacer("\r", " ", "\n", " ")
	return Message{Subject: line.Replace(fill(subject, headerForm)), Text: fill(text, plainForm),
		HTML: "<!doctype html><html><body>" + strings.Join(paragraphs, "") + "</body></html>"}
}
