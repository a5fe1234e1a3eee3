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
	// Rewarded are names of the goods that are reduced, and More is how many there are besides.
	Rewarded []string
	More     int
}

// Message is a mail in both of its forms.
type Message struct {
	To      string `json:"to"`
	Subject string `json:"subject"`
	Text    string `json:"text"`
	HTML    string `json:"html"`
}

var field = regexp.MustCompile(`\{[a-zA-Z]+\}`)

// known are the fields by their names.
func (f *Fields) known() map[string]string {
	return map[string]string{"{name}": f.Name, "{goods}": f.Goods, "{until}": f.Until, "{rewarded}": f.rewarded()}
}

func (f *Fields) rewarded() string {
	list := f.Rewarded
	switch {
	case f.More > 0:
		list = append(slices.Clone(list), fmt.Sprintf("%d others", f.More))
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
	names := (&Fields{}).known()
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
	names := f.known()
	fill := func(text string, as func(string) string) string {
		return field.ReplaceAllStringFunc(text, func(name string) string {
			if value, exists := names[name]; exists {
				return as(value)
			}
			return as(name)
		})
	}
	plain := func(s string) string { return s }
	// The words of the text are escaped first: fields have no letters that would be.
	var paragraphs []string
	for _, p := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n\n") {
		if p = strings.TrimSpace(p); p != "" {
			paragraphs = append(paragraphs, "<p>"+strings.ReplaceAll(fill(html.EscapeString(p), html.EscapeString), "\n", "<br>")+"</p>")
		}
	}
	line := strings.NewReplacer("\r", " ", "\n", " ")
	return Message{Subject: line.Replace(fill(subject, plain)), Text: fill(text, plain),
		HTML: "<!doctype html><html><body>" + strings.Join(paragraphs, "") + "</body></html>"}
}
