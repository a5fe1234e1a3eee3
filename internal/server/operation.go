package server

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/store"
)

// anybody is the role of operations that need nobody to be signed in.
const anybody store.Role = ""

// roleExtension is where the description of an operation says which role it needs.
const roleExtension = "x-role"

// body is an answer.
type body[T any] struct{ Body T }

// option is something about an operation besides its role, method, path and handler.
type option func(o *huma.Operation)

// upTo bounds the body of a request, in bytes.
func upTo(bytes int64) option { return func(o *huma.Operation) { o.MaxBodyBytes = bytes } }

// unchecked leaves the body to the handler, which knows every error by its path.
func unchecked(o *huma.Operation) { o.SkipValidateBody = true }

// answering is the status of a success.
func answering(status int) option { return func(o *huma.Operation) { o.DefaultStatus = status } }

// staleAware says that the operation refuses what is based on something that has changed since.
func staleAware(o *huma.Operation) { o.Errors = append(o.Errors, http.StatusPreconditionFailed) }

// on registers an operation that answers whatever its handler makes. Nothing but this declares who may do it.
func on[I, O any](api huma.API, role store.Role, method, path string, do func(context.Context, *I) (*O, error),
	opts ...option) {
	o := huma.Operation{Method: method, Path: path, OperationID: huma.GenerateOperationID(method, path, (*O)(nil)),
		Extensions: map[string]any{roleExtension: string(role)}}
	for _, opt := range opts {
		opt(&o)
	}
	huma.Register(api, o, func(ctx context.Context, in *I) (*O, error) {
		out, err := do(ctx, in)
		if err != nil {
			return nil, asProblem(err)
		}
		return out, nil
	})
}

// answers registers an operation that answers JSON.
func answers[I, T any](api huma.API, role store.Role, method, path string, do func(context.Context, *I) (T, error),
	opts ...option) {
	on(api, role, method, path, func(ctx context.Context, in *I) (*body[T], error) {
		out, err := do(ctx, in)
		return &body[T]{out}, err
	}, opts...)
}

// get registers an operation that readers may ask.
func get[I, T any](api huma.API, path string, do func(context.Context, *I) (T, error)) {
	answers(api, store.Reader, http.MethodGet, path, do)
}

// does registers an operation that answers nothing.
func does[I any](api huma.API, role store.Role, method, path string, do func(context.Context, *I) error) {
	on(api, role, method, path, func(ctx context.Context, in *I) (*struct{}, error) { return nil, do(ctx, in) },
		answering(http.StatusNoContent))
}

// none is a request without parameters.
type none struct{}

var roleNames = map[store.Role]string{store.Reader: "reader", store.Manager: "pricing manager",
	store.Approver: "approver", store.Administrator: "administrator"}

// admit lets through whoever has the role that an operation declares.
func admit(api huma.API) func(ctx huma.Context, next func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		declared, _ := ctx.Operation().Extensions[roleExtension].(string)
		needs, person := store.Role(declared), personOf(ctx.Context())
		switch {
		case needs == anybody:
		case person.Name == "":
			_ = huma.WriteErr(api, ctx, http.StatusUnauthorized, signInFirst)
			return
		case !person.Role.May(needs):
			_ = huma.WriteErr(api, ctx, http.StatusForbidden,
				fmt.Sprintf("This needs the role %s; you are signed in as %s.", roleNames[needs], roleNames[person.Role]))
			return
		}
		next(ctx)
	}
}

const signInFirst = "Sign in first."
