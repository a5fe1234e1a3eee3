package server

import (
	"errors"
	"log/slog"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"

	"dogbane/internal/intake"
)

// largestUpload is how many bytes a request with a file may have: the file, and the form around it.
const largestUpload = intake.LargestFile + 1<<20

// boundUploads refuses a file that is too large while it comes in, and removes what was kept of one.
func boundUploads(ctx huma.Context, next func(huma.Context)) {
	c := humagin.Unwrap(ctx)
	if c.Request.ContentLength > largestUpload {
		c.Header("Connection", "close") // the rest is not read
		problem(c, http.StatusRequestEntityTooLarge, tooLarge)
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, largestUpload)
	defer func() {
		if form := c.Request.MultipartForm; form != nil {
			if err := form.RemoveAll(); err != nil {
				slog.Warn("cannot remove an uploaded file", "error", err)
			}
		}
	}()
	if err := c.Request.ParseMultipartForm(largestUpload); err != nil {
		var over *http.MaxBytesError
		if errors.As(err, &over) {
			c.Header("Connection", "close")
			problem(c, http.StatusRequestEntityTooLarge, tooLarge)
			return
		}
		problem(c, http.StatusUnprocessableEntity, "Send the file as the field “file” of a form (multipart/form-data).")
		return
	}
	next(ctx)
}

const tooLarge = "The file is larger than 64 MB. Split it."
