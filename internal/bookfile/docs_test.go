package bookfile

import (
	"encoding/json"
	"fmt"
	"os"
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"
)

var exampleBlock = regexp.MustCompile("(?s)```json\n(.*?)```")

// The examples of docs/book.md hold.
func TestExamplesOfTheBookText(t *testing.T) {
	text, err := os.ReadFile("../../docs/book.md")
	require.NoError(t, err)
	blocks := exampleBlock.FindAllSubmatch(text, -1)
	require.Greater(t, len(blocks), 15)
	for i, block := range blocks {
		t.Run(fmt.Sprint(i+1), func(t *testing.T) {
			var doc map[string]any
			require.NoError(t, json.Unmarshal(block[1], &doc), string(block[1]))
			book := doc["book"].(map[string]any)
			book["book"] = Format
			if book["settings"] == nil {
				book["settings"] = map[string]any{"currency": "EUR", "timeZone": "Europe/Amsterdam"}
			}
			full, err := json.Marshal(doc)
			require.NoError(t, err)
			check, err := ReadCheck(full)
			require.NoError(t, err)
			diffs, err := check.Run()
			require.NoError(t, err)
			require.Empty(t, diffs, string(block[1]))
		})
	}
}
