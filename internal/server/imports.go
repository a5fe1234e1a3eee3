package server

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/impact"
	"dogbane/internal/intake"
	"dogbane/internal/jobs"
	"dogbane/internal/store"
)

// UploadQuery brings a file.
type UploadQuery struct {
	Kind    string `query:"kind" enum:"products,sales,agreed,rates" default:"products"`
	RawBody huma.MultipartFormFiles[struct {
		File huma.FormFile `form:"file" required:"true"`
	}]
}

// ImportQuery says how a file that was brought is to be read.
type ImportQuery struct {
	Seen
	Token string `path:"token"`
	Body  intake.Matching
}

// SampleQuery asks for a file of a kind as the program reads it.
type SampleQuery struct {
	Kind   string `query:"kind" enum:"products,sales,agreed,rates" default:"products"`
	Format string `query:"format" enum:"csv,xlsx" default:"csv"`
}

func (s *Server) importSample(_ context.Context, in *SampleQuery) (*huma.StreamResponse, error) {
	snap := s.Live.Current()
	data, err := intake.WriteSample(intake.Sample(in.Kind, snap.Book, s.moment(snap)), in.Format == "xlsx")
	if err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(out huma.Context) {
		out.SetHeader("Content-Disposition", fmt.Sprintf(`attachment; filename="%s-sample.%s"`, in.Kind, in.Format))
		out.SetHeader("Content-Type", map[string]string{"csv": "text/csv; charset=utf-8",
			"xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"}[in.Format])
		_, _ = out.BodyWriter().Write(data)
	}}, nil
}

func (s *Server) registerImports(api huma.API) {
	answers(api, store.Manager, http.MethodPost, "/api/imports", s.upload, upTo(largestUpload), func(o *huma.Operation) {
		o.BodyReadTimeout, o.Middlewares = time.Minute, huma.Middlewares{boundUploads}
	})
	answers(api, store.Manager, http.MethodPost, "/api/imports/paste",
		func(ctx context.Context, in *struct{ Body SKUText }) (intake.Preview, error) {
			return s.imports.ReadPaste(ctx, personOf(ctx).Name, in.Body.Text)
		}, upTo(longTextBody))
	answers(api, store.Manager, http.MethodPost, "/api/imports/{token}/preview",
		func(ctx context.Context, in *ImportQuery) (intake.Preview, error) {
			_, out, err := s.imports.Preview(ctx, personOf(ctx).Name, in.Token, &in.Body)
			return out, err
		})
	answers(api, store.Manager, http.MethodPost, "/api/imports/{token}/effect/preview",
		func(ctx context.Context, in *ImportQuery) (impact.Edit, error) {
			plan, _, err := s.imports.Ready(ctx, personOf(ctx).Name, in.Token, &in.Body)
			if err != nil {
				return impact.Edit{}, err
			}
			snap := s.Live.Current()
			next, err := plan.Book(snap.Book)
			if err != nil {
				return impact.Edit{}, err
			}
			return s.impacts.OfBook(ctx, snap, next, s.moment(snap))
		})
	on(api, store.Reader, http.MethodGet, "/api/imports/sample", s.importSample)
	answers(api, store.Manager, http.MethodPost, "/api/imports/{token}/import", s.importFile)
}

func (s *Server) upload(ctx context.Context, in *UploadQuery) (intake.Preview, error) {
	file := in.RawBody.Data().File
	data, err := io.ReadAll(io.LimitReader(file, intake.LargestFile+1))
	if err != nil {
		return intake.Preview{}, fmt.Errorf("read the uploaded file: %w", err)
	}
	if len(data) > intake.LargestFile {
		return intake.Preview{}, invalid("file", tooLarge)
	}
	return s.imports.ReadFile(ctx, personOf(ctx).Name, in.Kind, file.Filename, data)
}

func (s *Server) importFile(ctx context.Context, in *ImportQuery) (Job, error) {
	who := personOf(ctx).Name
	plan, preview, err := s.imports.Ready(ctx, who, in.Token, &in.Body)
	if err != nil {
		return Job{}, err
	}
	if err := s.imports.Remember(ctx, &preview); err != nil {
		return Job{}, err
	}
	return jobOf(s.Jobs.Begin(preview.File, who, jobPatience, func(ctx context.Context, tell jobs.Tell) (book.Entry,
		error) {
		entry, err := s.imports.CarryOut(ctx, plan, intake.Carrying{File: preview.File, Who: who, ChecksSeen: in.ChecksSeen,
			Tell: tell})
		if err == nil {
			s.imports.Forget(in.Token)
		}
		return entry, err
	}), true)
}
