package server

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/store"
)

// PersonEntry is somebody who may sign in.
type PersonEntry struct {
	Name     string `json:"name"`
	FullName string `json:"fullName"`
	Role     string `json:"role" enum:"reader,manager,approver,administrator"`
	Active   bool   `json:"active"`
}

// PeopleList is everybody.
type PeopleList struct {
	People []PersonEntry `json:"people"`
}

// PersonForm is somebody new, or somebody changed.
type PersonForm struct {
	FullName string `json:"fullName" maxLength:"120"`
	Role     string `json:"role" enum:"reader,manager,approver,administrator"`
	Active   bool   `json:"active"`
	Password string `json:"password,omitempty" maxLength:"500" doc:"empty: it stays"`
}

// NewPerson is somebody new.
type NewPerson struct {
	Name string `json:"name" maxLength:"60"`
	PersonForm
}

// PasswordChange is one's own new password.
type PasswordChange struct {
	Old string `json:"old" maxLength:"500"`
	New string `json:"new" maxLength:"500"`
}

const shortestPassword = 10

func (s *Server) registerPeople(api huma.API) {
	huma.Get(api, "/api/people", func(ctx context.Context, _ *struct{}) (*body[PeopleList], error) {
		people, err := s.store.People(ctx)
		out := PeopleList{People: []PersonEntry{}}
		for _, p := range people {
			out.People = append(out.People, PersonEntry{p.Name, p.FullName, string(p.Role), p.Active})
		}
		return answer(out, err)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/people", DefaultStatus: http.StatusNoContent}, func(ctx context.Context, in *struct{ Body NewPerson }) (*struct{}, error) {
		name := strings.TrimSpace(in.Body.Name)
		switch {
		case name == "" || strings.ContainsAny(name, " \t/"):
			return nil, invalid("name", "A name to sign in with has no spaces and is not empty.")
		case len([]rune(in.Body.Password)) < shortestPassword:
			return nil, invalid("password", "A password has at least 10 characters.")
		}
		err := s.store.AddPerson(ctx, store.Person{Name: name, FullName: strings.TrimSpace(in.Body.FullName), Role: store.Role(in.Body.Role), Active: in.Body.Active,
			Password: store.HashPassword(in.Body.Password), Created: s.now().UTC()})
		if errors.Is(err, store.ErrTaken) {
			return nil, invalid("name", "There is somebody of that name already.")
		}
		return nil, asProblem(err)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPut, Path: "/api/people/{name}", DefaultStatus: http.StatusNoContent}, func(ctx context.Context, in *struct {
		Name string `path:"name"`
		Body PersonForm
	}) (*struct{}, error) {
		p := store.Person{Name: in.Name, FullName: strings.TrimSpace(in.Body.FullName), Role: store.Role(in.Body.Role), Active: in.Body.Active}
		if in.Body.Password != "" {
			if len([]rune(in.Body.Password)) < shortestPassword {
				return nil, invalid("password", "A password has at least 10 characters.")
			}
			p.Password = store.HashPassword(in.Body.Password)
		}
		err := s.store.ChangePerson(ctx, p)
		if errors.Is(err, store.ErrLastAdministrator) {
			return nil, invalid("role", "Nobody else is an administrator: somebody has to be.")
		}
		return nil, asProblem(err)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/password", DefaultStatus: http.StatusNoContent}, func(ctx context.Context, in *struct{ Body PasswordChange }) (*struct{}, error) {
		p := personOf(ctx)
		if len([]rune(in.Body.New)) < shortestPassword {
			return nil, invalid("new", "A password has at least 10 characters.")
		}
		_, token, err := s.store.SignIn(ctx, p.Name, in.Body.Old, time.Now(), time.Minute)
		if errors.Is(err, store.ErrWrongPassword) {
			return nil, invalid("old", "This is not your password.")
		}
		if err != nil {
			return nil, asProblem(err)
		}
		if err := s.store.SignOut(ctx, token); err != nil {
			return nil, asProblem(err)
		}
		p.Password = store.HashPassword(in.Body.New)
		return nil, asProblem(s.store.ChangePerson(ctx, p))
	})
}
