package server

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/images"
	"dogbane/internal/store"
)

// KeptImage is where an image is had.
type KeptImage struct {
	Address string `json:"address" doc:"for show.image of a rule"`
}

func (s *Server) registerImages(api huma.API) {
	on(api, store.Manager, http.MethodPost, "/api/images", func(ctx context.Context, in *struct {
		RawBody []byte `contentType:"application/octet-stream"`
	}) (*body[KeptImage], error) {
		image, err := images.Read(in.RawBody)
		if errors.Is(err, images.ErrRefused) {
			return nil, invalid("image", "An image is a PNG, JPEG or WebP of up to 2 MB and 4,096 pixels a side.")
		}
		if err == nil {
			err = s.Store.KeepImage(ctx, image, personOf(ctx).Name, s.Clocks.Book().UTC())
		}
		if err != nil {
			return nil, err
		}
		return &body[KeptImage]{KeptImage{"/images/" + image.Name}}, nil
	}, upTo(images.MaxBytes+1))
	on(api, anybody, http.MethodGet, "/images/{name}", func(ctx context.Context, in *struct {
		Name string `path:"name"`
	}) (*huma.StreamResponse, error) {
		image, err := s.Store.Image(ctx, in.Name)
		if err != nil {
			return nil, err
		}
		return &huma.StreamResponse{Body: func(out huma.Context) {
			out.SetHeader("Content-Type", image.Kind)
			out.SetHeader("Cache-Control", "public, max-age=31536000, immutable")
			_, _ = out.BodyWriter().Write(image.Data)
		}}, nil
	})
}

// withHost is an image's address as other programs find it.
func withHost(image, host string) string {
	if strings.HasPrefix(image, "/images/") && host != "" {
		return "http://" + host + image
	}
	return image
}
