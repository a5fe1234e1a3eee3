package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"time"

	"golang.org/x/crypto/argon2"
	"gorm.io/gorm"
)

// Role is what somebody may do; each may do all that those before it may.
type Role string

// The roles, least first.
const (
	Reader        Role = "reader"        // look at everything
	Manager       Role = "manager"       // change rules, goods and prices, and publish
	Approver      Role = "approver"      // publish what is blocked
	Administrator Role = "administrator" // look after people and replace the whole book
)

var ranks = map[Role]int{Reader: 1, Manager: 2, Approver: 3, Administrator: 4}

// May reports whether the role allows what needs another.
func (r Role) May(needs Role) bool { return ranks[r] >= ranks[needs] && ranks[r] > 0 }

// Known reports whether there is such a role.
func (r Role) Known() bool { return ranks[r] > 0 }

// Person is somebody who may sign in.
type Person struct {
	Name     string `gorm:"primaryKey"`
	FullName string
	Role     Role
	Password string // argon2id, PHC string
	Active   bool
	Created  time.Time
}

// TableName of people.
func (Person) TableName() string { return "people" }

type session struct {
	Token   string `gorm:"primaryKey"` // SHA-256 of the cookie's token
	Person  string
	Created time.Time
	Expires time.Time
}

// ErrWrongPassword says that a name and a password do not belong together, whichever of them is wrong.
var ErrWrongPassword = errors.New("name and password do not belong together")

// ErrTaken says that there is somebody of that name already.
var ErrTaken = errors.New("there is somebody of that name already")

// argon2id with 19 MiB and two passes, which OWASP's password storage cheat sheet names as sufficient.
const (
	argonMemory = 19 << 10
	argonPasses = 2
	argonKey    = 32
)

// HashPassword is the PHC string of a password.
func HashPassword(password string) string {
	salt := make([]byte, 16)
	if _, err := rand.Read(salt); err != nil {
		panic(fmt.Sprintf("store: no randomness: %v", err))
	}
	key := argon2.IDKey([]byte(password), salt, argonPasses, argonMemory, 1, argonKey)
	b64 := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=1$%s$%s", argon2.Version, argonMemory, argonPasses, b64.EncodeToString(salt), b64.EncodeToString(key))
}

func passwordFits(hash, password string) bool {
	parts := strings.Split(hash, "$")
	var memory, passes uint32
	var lanes uint8
	if len(parts) != 6 {
		return false
	}
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &passes, &lanes); err != nil {
		return false
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	key, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil {
		return false
	}
	return subtle.ConstantTimeCompare(argon2.IDKey([]byte(password), salt, passes, memory, lanes, uint32(len(key))), key) == 1
}

// nobody is hashed against when a name is unknown, so that the answer takes as long.
var nobody = HashPassword("nobody")

// SignIn checks name and password and begins a session of the given length; its token goes into the cookie.
func (s *Store) SignIn(ctx context.Context, name, password string, now time.Time, length time.Duration) (Person, string, error) {
	var p Person
	err := s.db.WithContext(ctx).Where("name = ? AND active = 1", name).Take(&p).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		passwordFits(nobody, password)
		return p, "", ErrWrongPassword
	}
	if err != nil {
		return p, "", fmt.Errorf("look up who signs in: %w", err)
	}
	if !passwordFits(p.Password, password) {
		return p, "", ErrWrongPassword
	}
	token := rand.Text() + rand.Text()
	if err := s.db.WithContext(ctx).Create(&session{tokenHash(token), p.Name, now.UTC(), now.Add(length).UTC()}).Error; err != nil {
		return p, "", fmt.Errorf("begin a session: %w", err)
	}
	return p, token, s.db.WithContext(ctx).Exec("DELETE FROM sessions WHERE expires < ?", now.UTC()).Error
}

func tokenHash(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// SignedIn is who a session's token belongs to; ErrNotFound where it is unknown or over.
func (s *Store) SignedIn(ctx context.Context, token string, now time.Time) (Person, error) {
	var p Person
	err := s.db.WithContext(ctx).Raw("SELECT p.* FROM sessions s JOIN people p ON p.name = s.person WHERE s.token = ? AND s.expires > ? AND p.active = 1", tokenHash(token), now.UTC()).Take(&p).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return p, ErrNotFound
	}
	if err != nil {
		return p, fmt.Errorf("look up a session: %w", err)
	}
	return p, nil
}

// SignOut ends a session.
func (s *Store) SignOut(ctx context.Context, token string) error {
	if err := s.db.WithContext(ctx).Exec("DELETE FROM sessions WHERE token = ?", tokenHash(token)).Error; err != nil {
		return fmt.Errorf("end a session: %w", err)
	}
	return nil
}

// People are all, by name.
func (s *Store) People(ctx context.Context) ([]Person, error) {
	var list []Person
	if err := s.db.WithContext(ctx).Order("name").Find(&list).Error; err != nil {
		return nil, fmt.Errorf("read who may sign in: %w", err)
	}
	return list, nil
}

// AddPerson keeps somebody new.
func (s *Store) AddPerson(ctx context.Context, p Person) error {
	err := s.db.WithContext(ctx).Create(&p).Error
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return ErrTaken
	}
	if err != nil {
		return fmt.Errorf("add %q: %w", p.Name, err)
	}
	return nil
}

// ErrLastAdministrator says that nobody would be left to look after people.
var ErrLastAdministrator = errors.New("nobody else is an administrator")

// ChangePerson changes role, full name, whether somebody may sign in and, where not "", the password hash. Whoever may no
// longer sign in, or has a new password, is signed out everywhere.
func (s *Store) ChangePerson(ctx context.Context, p Person) error {
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		set := map[string]any{"full_name": p.FullName, "role": string(p.Role), "active": p.Active}
		if p.Password != "" {
			set["password"] = p.Password
		}
		var now Person
		if err := tx.Where("name = ?", p.Name).Take(&now).Error; err != nil {
			return err
		}
		if err := tx.Model(&Person{}).Where("name = ?", p.Name).Updates(set).Error; err != nil {
			return err
		}
		var left int64
		if err := tx.Raw("SELECT COUNT(*) FROM people WHERE role = 'administrator' AND active = 1").Scan(&left).Error; err != nil {
			return err
		}
		if left == 0 {
			return ErrLastAdministrator
		}
		if p.Password != "" || !p.Active {
			return tx.Exec("DELETE FROM sessions WHERE person = ?", p.Name).Error
		}
		return nil
	})
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return ErrNotFound
	}
	if err != nil && !errors.Is(err, ErrLastAdministrator) {
		return fmt.Errorf("change %q: %w", p.Name, err)
	}
	return err
}

// SetMoved keeps how many prices a logged edit moved.
func (s *Store) SetMoved(ctx context.Context, entry int64, moved int) error {
	if err := s.db.WithContext(ctx).Exec("UPDATE log SET moved = ? WHERE id = ?", moved, entry).Error; err != nil {
		return fmt.Errorf("keep how many prices entry %d moved: %w", entry, err)
	}
	return nil
}

// SavedView is a view of the board that somebody keeps by name.
type SavedView struct {
	Person string `gorm:"primaryKey"`
	Name   string `gorm:"primaryKey"`
	Query  string
}

// SavedViews are somebody's, by name.
func (s *Store) SavedViews(ctx context.Context, person string) ([]SavedView, error) {
	var list []SavedView
	if err := s.db.WithContext(ctx).Where("person = ?", person).Order("name").Find(&list).Error; err != nil {
		return nil, fmt.Errorf("read saved views: %w", err)
	}
	return list, nil
}

// SaveView keeps a view, in the place of one of the same name.
func (s *Store) SaveView(ctx context.Context, v SavedView) error {
	if err := s.db.WithContext(ctx).Save(&v).Error; err != nil {
		return fmt.Errorf("keep the view %q: %w", v.Name, err)
	}
	return nil
}

// DropView forgets a view.
func (s *Store) DropView(ctx context.Context, person, name string) error {
	if err := s.db.WithContext(ctx).Delete(&SavedView{Person: person, Name: name}).Error; err != nil {
		return fmt.Errorf("forget the view %q: %w", name, err)
	}
	return nil
}
