package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"

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
	answers(api, store.Administrator, http.MethodGet, "/api/people",
		func(ctx context.Context, _ *none) (PeopleList, error) {
			people, err := s.Store.People(ctx)
			out := PeopleList{People: []PersonEntry{}}
			for _, p := range people {
				out.People = append(out.People, PersonEntry{p.Name, p.FullName, string(p.Role), p.Active})
			}
			return out, err
		})
	does(api, store.Administrator, http.MethodPost, "/api/people",
		func(ctx context.Context, in *struct{ Body NewPerson }) error {
			name := store.NormalName(in.Body.Name)
			switch {
			case !store.PersonName(name):
				return invalid("name", "A name to sign in with is 1 to 60 letters a to z, digits, “.”, “_” or “-”, and begins with a letter or digit.")
			case len([]rune(in.Body.Password)) < shortestPassword:
				return invalid("password", "A password has at least 10 characters.")
			}
			err := s.Store.AddPerson(ctx, store.Person{Name: name, FullName: strings.TrimSpace(in.Body.FullName),
				Role: store.Role(in.Body.Role), Active: in.Body.Active,
				Password: store.HashPassword(in.Body.Password), Created: s.Clocks.Book().UTC()})
			if errors.Is(err, store.ErrTaken) {
				return invalid("name", "There is somebody of that name already.")
			}
			if err == nil {
				s.record(ctx, personOf(ctx).Name, store.PersonAdded, fmt.Sprintf("%s (%s)", name, in.Body.Role))
			}
			return err
		})
	does(api, store.Administrator, http.MethodPut, "/api/people/{name}", func(ctx context.Context, in *struct {
		Name string `path:"name"`
		Body PersonForm
	}) error {
		to := store.PersonChange{FullName: strings.TrimSpace(in.Body.FullName), Role: store.Role(in.Body.Role),
			Active: in.Body.Active}
		if in.Body.Password != "" {
			if len([]rune(in.Body.Password)) < shortestPassword {
				return invalid("password", "A password has at least 10 characters.")
			}
			to.Password = store.HashPassword(in.Body.Password)
		}
		err := s.Store.ChangePerson(ctx, in.Name, to)
		if errors.Is(err, store.ErrLastAdministrator) {
			return invalid("role", "Nobody else is an administrator: somebody has to be.")
		}
		if err == nil {
			s.known.Purge()
			detail := fmt.Sprintf("%s: %s", in.Name, in.Body.Role)
			if !in.Body.Active {
				detail += ", may no longer sign in"
			}
			if to.Password != "" {
				detail += ", new password"
			}
			s.record(ctx, personOf(ctx).Name, store.PersonChanged, detail)
		}
		return err
	})
	does(api, store.Reader, http.MethodPost, "/api/password", func(ctx context.Context,
		in *struct{ Body PasswordChange }) error {
		p := personOf(ctx)
		if len([]rune(in.Body.New)) < shortestPassword {
			return invalid("new", "A password has at least 10 characters.")
		}
		if !p.MustChange { // else nobody knows the old one, or all do
			_, _, err := s.checkPassword(ctx, p.Name, in.Body.Old)
			var refused huma.StatusError
			if errors.As(err, &refused) && refused.GetStatus() == http.StatusUnauthorized {
				return invalid("old", "This is not your password.")
			}
			if err != nil {
				return err
			}
		}
		err := s.Store.SetPassword(ctx, p.Name, store.HashPassword(in.Body.New))
		if errors.Is(err, store.ErrNotFound) {
			return huma.Error403Forbidden("You may no longer sign in.")
		}
		if err == nil {
			s.known.Purge()
			s.record(ctx, p.Name, store.PasswordChanged, "their own")
		}
		return err
	})
	answers(api, store.Administrator, http.MethodGet, "/api/journal", func(ctx context.Context, in *struct {
		Limit int `query:"limit" default:"200" minimum:"1" maximum:"1000"`
	}) (Journal, error) {
		events, err := s.Store.Events(ctx, in.Limit)
		out := Journal{Events: []JournalEvent{}}
		for _, e := range events {
			out.Events = append(out.Events, JournalEvent{e.ID, s.wall(e.At), e.Who, e.What, e.Detail})
		}
		return out, err
	})
}

// Journal is what happened beside the book, newest first.
type Journal struct {
	Events []JournalEvent `json:"events"`
}

// JournalEvent is one sign-in, refusal, or change of people or pinned prices.
type JournalEvent struct {
	ID     int64  `json:"id"`
	At     string `json:"at"`
	Who    string `json:"who"`
	What   string `json:"what"`
	Detail string `json:"detail"`
}
