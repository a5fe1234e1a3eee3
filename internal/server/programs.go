package server

import (
	"cmp"
	"context"
	_ "embed"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"

	"github.com/danielgtaylor/huma/v2"
)

// What the programs of channels may ask, in words, with examples in the demo as it is when it begins. The tests run
// them in their order.
//
//go:embed programs.json
var programExamples []byte

// programOperation is an operation that the programs of channels ask with a key.
type programOperation struct {
	Operation string // its method and path
	Summary   string
	About     string
	Examples  []programExample
}

// programExample is a request of a channel's program, with what is answered.
type programExample struct {
	Name   string
	Path   string
	Body   json.RawMessage // none: it has none
	Status int
	Type   string          // of the answer, where it is not JSON
	Answer json.RawMessage // a text, where it is not JSON
}

// programs are the examples of what programs of channels ask, by operation.
func programs() (list []programOperation) {
	if err := json.Unmarshal(programExamples, &list); err != nil {
		panic(fmt.Sprintf("server: read the examples: %v", err))
	}
	return list
}

// programKey names the way in which programs say who they are.
const programKey = "key"

// describePrograms puts words and examples to the operations that programs of channels ask.
func describePrograms(api huma.API) {
	doc := api.OpenAPI()
	doc.Components.SecuritySchemes = map[string]*huma.SecurityScheme{programKey: {Type: "http", Scheme: "bearer",
		Description: "A key of the channel, which an administrator makes; it is shown once."}}
	for _, p := range programs() {
		o := operationAt(doc, p.Operation)
		o.Summary, o.Description, o.Tags = p.Summary, p.About, []string{"programs of channels"}
		o.Security = []map[string][]string{{programKey: {}}}
		for i := range p.Examples {
			e := &p.Examples[i]
			if e.Body != nil && o.RequestBody != nil {
				add(o.RequestBody.Content, "application/json", e.Name, e.Body)
			}
			status := fmt.Sprint(e.Status)
			if o.Responses[status] == nil {
				o.Responses[status] = &huma.Response{Description: http.StatusText(e.Status)}
			}
			if e.Answer == nil {
				continue
			}
			r, kind := o.Responses[status], cmp.Or(e.Type, "application/json")
			if e.Status >= 400 {
				kind = "application/problem+json"
			}
			if r.Content == nil {
				r.Content = map[string]*huma.MediaType{}
			}
			add(r.Content, kind, e.Name, e.Answer)
		}
	}
}

// add adds an example to what a body of a type may be.
func add(content map[string]*huma.MediaType, kind, name string, value json.RawMessage) {
	if content[kind] == nil {
		content[kind] = &huma.MediaType{}
	}
	if content[kind].Examples == nil {
		content[kind].Examples = map[string]*huma.Example{}
	}
	content[kind].Examples[name] = &huma.Example{Summary: name, Value: value}
}

// operationAt is an operation by its method and path. That there is one is a matter of this program alone.
func operationAt(doc *huma.OpenAPI, at string) *huma.Operation {
	method, path, _ := strings.Cut(at, " ")
	if item := doc.Paths[path]; item != nil {
		of := map[string]*huma.Operation{http.MethodGet: item.Get, http.MethodPost: item.Post, http.MethodDelete: item.Delete}
		if o := of[method]; o != nil {
			return o
		}
	}
	panic("server: an example names no operation: " + at)
}

// ProgramsOpenAPI is the description of what programs of channels ask, as JSON, without a running server.
func ProgramsOpenAPI() ([]byte, error) {
	return programsOf((&Server{}).register(newRouter()).OpenAPI())
}

// programsOf leaves of a description what programs of channels ask, with the types that it names.
func programsOf(whole *huma.OpenAPI) ([]byte, error) {
	text, err := whole.MarshalJSON()
	if err != nil {
		return nil, fmt.Errorf("write the description: %w", err)
	}
	var doc, all struct {
		OpenAPI    string                                `json:"openapi"`
		Info       json.RawMessage                       `json:"info"`
		Paths      map[string]map[string]json.RawMessage `json:"paths"`
		Components struct {
			Schemas         map[string]json.RawMessage `json:"schemas"`
			SecuritySchemes json.RawMessage            `json:"securitySchemes"`
		} `json:"components"`
	}
	if err := json.Unmarshal(text, &all); err != nil {
		return nil, fmt.Errorf("read the description: %w", err)
	}
	doc.OpenAPI, doc.Info, doc.Components.SecuritySchemes = all.OpenAPI, all.Info, all.Components.SecuritySchemes
	doc.Paths, doc.Components.Schemas = map[string]map[string]json.RawMessage{}, map[string]json.RawMessage{}
	var named func(in []byte)
	named = func(in []byte) {
		const ref = `"#/components/schemas/`
		for rest := string(in); ; {
			_, after, found := strings.Cut(rest, ref)
			if !found {
				return
			}
			name, _, _ := strings.Cut(after, `"`)
			if _, known := doc.Components.Schemas[name]; !known {
				doc.Components.Schemas[name] = all.Components.Schemas[name]
				named(all.Components.Schemas[name])
			}
			rest = after
		}
	}
	for _, p := range programs() {
		method, path, _ := strings.Cut(p.Operation, " ")
		operation := all.Paths[path][strings.ToLower(method)]
		if doc.Paths[path] == nil {
			doc.Paths[path] = map[string]json.RawMessage{}
		}
		doc.Paths[path][strings.ToLower(method)] = operation
		named(operation)
	}
	return json.Marshal(doc)
}

// registerPrograms describes to programs what they may ask, and answers with that.
func (s *Server) registerPrograms(api huma.API) {
	describePrograms(api)
	described := sync.OnceValues(func() ([]byte, error) { return programsOf(api.OpenAPI()) })
	on(api, anybody, http.MethodGet, "/openapi.json", func(context.Context, *none) (*huma.StreamResponse, error) {
		text, err := described()
		return &huma.StreamResponse{Body: func(to huma.Context) {
			to.SetHeader("Content-Type", "application/vnd.oai.openapi+json;version=3.1")
			_, _ = to.BodyWriter().Write(text)
		}}, err
	})
}
