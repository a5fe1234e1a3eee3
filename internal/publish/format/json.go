package format

import (
	"encoding/json"
	"fmt"
	"io"
)

type message struct {
	Publication int64  `json:"publication"`
	Prices      []Line `json:"prices"`
}

type reply struct {
	Answers []struct {
		SKU     string `json:"sku"`
		Taken   bool   `json:"taken"`
		Message string `json:"message,omitempty"`
	} `json:"answers"`
}

// JSON is the body that tells a channel lines of a publication.
func JSON(publication int64, lines []Line) ([]byte, error) {
	data, err := json.Marshal(message{publication, lines})
	if err != nil {
		return nil, fmt.Errorf("write the prices: %w", err)
	}
	return data, nil
}

// ReadJSON reads a channel's answers by SKU.
func ReadJSON(from io.Reader) (map[string]Answer, error) {
	var r reply
	if err := json.NewDecoder(from).Decode(&r); err != nil {
		return nil, fmt.Errorf("read the channel's answer: %w", err)
	}
	answers := make(map[string]Answer, len(r.Answers))
	for _, a := range r.Answers {
		answers[a.SKU] = Answer{a.Taken, a.Message}
	}
	return answers, nil
}
