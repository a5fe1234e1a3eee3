package images_test

import (
	"bytes"
	"encoding/base64"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/images"
)

func picture(w, h int) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	img.Set(1, 1, color.RGBA{200, 10, 10, 255})
	return img
}

// A picture is written anew: what was hidden behind it is gone, and the same picture has the same name.
func TestImagesAreWrittenAnew(t *testing.T) {
	t.Parallel()
	var file bytes.Buffer
	require.NoError(t, png.Encode(&file, picture(8, 6)))
	hidden := append(bytes.Clone(file.Bytes()), []byte("<script>alert(1)</script>")...)
	plain, err := images.Read(file.Bytes())
	require.NoError(t, err)
	other, err := images.Read(hidden)
	require.NoError(t, err)
	require.Equal(t, plain.Name, other.Name)
	require.NotContains(t, string(other.Data), "script")
	require.Equal(t, "image/png", plain.Kind)
	file.Reset()
	require.NoError(t, jpeg.Encode(&file, picture(8, 6), nil))
	photo, err := images.Read(file.Bytes())
	require.NoError(t, err)
	require.Equal(t, "image/jpeg", photo.Kind)
	// The smallest lossless WebP: one pixel (RFC 9649, an example made by hand).
	webp, err := base64.StdEncoding.DecodeString("UklGRhoAAABXRUJQVlA4TA0AAAAvAAAAEAcQERGIiP4HAA==")
	require.NoError(t, err)
	small, err := images.Read(webp)
	require.NoError(t, err)
	require.Equal(t, "image/png", small.Kind)
}

// What is no image of these kinds, or too large, is refused before memory is taken for it.
func TestImagesThatAreRefused(t *testing.T) {
	t.Parallel()
	var moving, wide bytes.Buffer
	require.NoError(t, gif.Encode(&moving, picture(4, 4), nil))
	require.NoError(t, png.Encode(&wide, picture(images.MaxSide+1, 1)))
	for name, data := range map[string][]byte{
		"nothing":      {},
		"a text":       []byte("<svg xmlns='http://www.w3.org/2000/svg'><script/></svg>"),
		"a GIF":        moving.Bytes(),
		"too wide":     wide.Bytes(),
		"too large":    make([]byte, images.MaxBytes+1),
		"a broken PNG": []byte("\x89PNG\r\n\x1a\n????"),
		"half a picture": func() []byte {
			var f bytes.Buffer
			require.NoError(t, png.Encode(&f, picture(50, 50)))
			return f.Bytes()[:f.Len()/2]
		}(),
	} {
		_, err := images.Read(data)
		require.ErrorIs(t, err, images.ErrRefused, name)
	}
}
