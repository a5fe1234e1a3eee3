// Package format turns what a channel is told into the bytes that it reads, and the bytes that it answers into answers.
// How bytes travel belongs to package transport.
package format

import (
	"encoding/json"
	"fmt"
	"io"
)

// Message is a part of a publication as it travels over HTTP.
type Message struct {
	Channel     string            `json:"channel"`
	Publication int64             `json:"publication"`
	Part        int               `json:"part"`
	Parts       int               `json:"parts"`
	At          string            `json:"at"`
	Effective   string            `json:"effective,omitempty"`
	Lines       []json.RawMessage `json:"lines"`
	Remove      []string          `json:"remove,omitempty"`
	Rules       []json.RawMessage `json:"rules,omitempty"`
	Withdraw    []string          `json:"withdraw,omitempty"`
}

// Bytes is the message as it travels.
func (m *Message) Bytes() ([]byte, error) {
	if m.Lines == nil {
		m.Lines = []json.RawMessage{}
	}
	data, err := json.Marshal(m)
	if err != nil {
		return nil, fmt.Errorf("write part %d of publication %d: %w", m.Part, m.Publication, err)
	}
	return data, nil
}

// Answer is what a channel says to one line.
type Answer struct {
	Taken   bool
	Message string
}

// ReadAnswers reads a channel's answers by SKU.
func ReadAnswers(from io.Reader) (map[string]Answer, error) {
	var r struct {
		Answers []struct {
			SKU     string `json:"sku"`
			Taken   bool   `json:"taken"`
			Message string `json:"message"`
		} `json:"answers"`
	}
	if err := json.NewDecoder(from).Decode(&r); err != nil {
		return nil, fmt.Errorf("read the channel's answer: %w", err)
	}
	if r.Answers == nil {
		return nil, fmt.Errorf("read the channel's answer: there are no answers in it")
	}
	answers := make(map[string]Answer, len(r.Answers))
	for _, a := range r.Answers {
		answers[a.SKU] = Answer{a.Taken, a.Message}
	}
	return answers, nil
}

// ReadReview reads where a channel will tell what it made of a part.
func ReadReview(from io.Reader) (string, error) {
	var r struct{ Review string }
	if err := json.NewDecoder(from).Decode(&r); err != nil {
		return "", fmt.Errorf("read the channel's answer: %w", err)
	}
	if r.Review == "" {
		return "", fmt.Errorf("read the channel's answer: it does not say where it will tell")
	}
	return r.Review, nil
}

// ShownLine is what a channel says that it shows.
type ShownLine struct {
	SKU       string `json:"sku"`
	Price     string `json:"price"`
	Reference string `json:"reference"`
	Effective string `json:"effective"`
}

// ReadShown reads a page of what a channel shows; next is "" on the last.
func ReadShown(from io.Reader) (lines []ShownLine, next string, err error) {
	var r struct {
		Lines []ShownLine `json:"lines"`
		Next  string      `json:"next"`
	}
	if err := json.NewDecoder(from).Decode(&r); err != nil {
		return nil, "", fmt.Errorf("read what the channel shows: %w", err)
	}
	return r.Lines, r.Next, nil
}
