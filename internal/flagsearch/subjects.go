package flagsearch

import (
	"strings"

	"dogbane/internal/bookfile"
)

// Subject is what a flag is about, in whatever channels: flags of one subject are told together, and whoever
// acknowledges one acknowledges all.
func Subject(f *bookfile.FlagAnswer) string {
	parts := []string{f.Kind, f.SKU, f.Rule}
	if f.SKU == "" && f.Rule == "" {
		parts = append(parts, f.Rules...)
	}
	return strings.Join(parts, "\x1f")
}
