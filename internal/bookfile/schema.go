package bookfile

import _ "embed"

// Schema is the JSON Schema (2020-12) of a book document. What it cannot say, its description names.
//
//go:embed schema.json
var Schema []byte
