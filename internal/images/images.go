// Package images makes images that people bring safe to show: what is no image is refused, and what is one is written
// anew, so that nothing but the picture is left of it.
package images

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"image/png"

	_ "golang.org/x/image/webp" // image.Decode reads it too
)

// Bounds of an image.
const (
	MaxBytes = 2 << 20
	MaxSide  = 4096 // pixels
)

// Image is a picture written anew.
type Image struct {
	Name string // SHA-256 of Data
	Kind string // image/png or image/jpeg
	Data []byte
}

// ErrRefused says what an image must be.
var ErrRefused = errors.New("an image is a PNG, JPEG or WebP of up to 2 MB and 4,096 pixels a side")

// Read decodes an image and writes it anew: JPEG as JPEG, all else as PNG.
func Read(data []byte) (Image, error) {
	if len(data) == 0 || len(data) > MaxBytes {
		return Image{}, ErrRefused
	}
	config, format, err := image.DecodeConfig(bytes.NewReader(data)) // before memory is taken for it
	if err != nil || config.Width < 1 || config.Height < 1 || config.Width > MaxSide || config.Height > MaxSide ||
		format != "png" && format != "jpeg" && format != "webp" {
		return Image{}, ErrRefused
	}
	picture, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return Image{}, ErrRefused
	}
	var out bytes.Buffer
	kind := "image/png"
	if format == "jpeg" {
		kind, err = "image/jpeg", jpeg.Encode(&out, picture, &jpeg.Options{Quality: 90})
	} else {
		err = png.Encode(&out, picture)
	}
	if err != nil {
		return Image{}, fmt.Errorf("write the image anew: %w", err)
	}
	sum := sha256.Sum256(out.Bytes())
	return Image{hex.EncodeToString(sum[:]), kind, out.Bytes()}, nil
}
