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
	"regexp"
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

	MustChange bool // the password is known to all, or to nobody
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
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=1$%s$%s", argon2.Version, argonMemory, argonPasses,
		b64.EncodeToString(salt), b64.EncodeToString(key))
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
	return subtle.ConstantTimeCompare(argon2.IDKey([]byte(password), salt, passes, memory, lanes, uint32(len(key))),
		key) == 1
}

// hashing bounds how many passwords are hashed at a time: each takes 19 MiB and a core.
var hashing = make(chan struct{}, 4)

// fits compares a password with its hash, when its turn has come.
func fits(ctx context.Context, hash, password string) (bool, error) {
	select {
	case hashing <- struct{}{}:
		defer func() { <-hashing }()
		return passwordFits(hash, password), nil
	case <-ctx.Done():
		return false, ctx.Err()
	}
}

// NormalName is a name to sign in with as it is kept: however it is typed, it is one person's.
func NormalName(name string) string { return strings.ToLower(strings.TrimSpace(name)) }

var personName = regexp.MustCompile(`^[a-z0-9][a-z0-9._-]{0,59}$`)

// PersonName reports whether a name can be one to sign in with.
func PersonName(name string) bool { return personName.MatchString(name) }

// nobody is hashed against when a name is unknown, so that the answer takes as long.
var nobody = HashPassword("nobody")

// CheckPassword finds who a name and a password belong to. Its error is ErrWrongPassword where they do not belong
// together.
func (s *Store) CheckPassword(ctx context.Context, name, password string) (Person, error) {
	var p Person
	// Older versions kept names as they were typed.
	err := s.db.WithContext(ctx).Raw(
		"SELECT * FROM people WHERE LOWER(name) = ? AND active = 1 ORDER BY name = ? DESC LIMIT 1", NormalName(name),
		NormalName(name)).Take(&p).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		if _, err := fits(ctx, nobody, password); err != nil {
			return p, err
		}
		return p, ErrWrongPassword
	}
	if err != nil {
		return p, fmt.Errorf("look up who signs in: %w", err)
	}
	if right, err := fits(ctx, p.Password, password); err != nil {
		return p, err
	} else if !right {
		return p, ErrWrongPassword
	}
	return p, nil
}

// BeginSession begins a session of the given length; its token goes into the cookie.
func (s *Store) BeginSession(ctx context.Context, person string, now time.Time, length time.Duration) (string, error) {
	token := rand.Text() + rand.Text()
	if err := s.db.WithContext(ctx).Create(&session{tokenHash(token), person, now.UTC(),
		now.Add(length).UTC()}).Error; err != nil {
		return "", fmt.Errorf("begin a session: %w", err)
	}
	return token, s.db.WithContext(ctx).Exec("DELETE FROM sessions WHERE expires < ?", now.UTC()).Error
}

type device struct {
	Token  string `gorm:"primaryKey"` // SHA-256 of the cookie's token
	Person string
	Seen   time.Time
}

// devicesKept is how many browsers of one person are remembered.
const devicesKept = 20

// KnowsDevice reports whether somebody has signed in with this browser's token before.
func (s *Store) KnowsDevice(ctx context.Context, person, token string) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&device{}).Where("token = ? AND person = ?", tokenHash(token),
		NormalName(person)).Count(&n).Error
	if err != nil {
		return false, fmt.Errorf("look up a browser: %w", err)
	}
	return n > 0, nil
}

// RememberDevice makes a token for a browser from which somebody has signed in.
func (s *Store) RememberDevice(ctx context.Context, person string, now time.Time) (string, error) {
	token := rand.Text() + rand.Text()
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if err := tx.Create(&device{tokenHash(token), person, now.UTC()}).Error; err != nil {
			return err
		}
		return tx.Exec(`DELETE FROM devices WHERE person = ? AND seen < (SELECT seen FROM (SELECT seen FROM devices WHERE person = ? ORDER BY seen DESC LIMIT 1 OFFSET ?) oldest)`,
			person, person, devicesKept-1).Error
	})
	if err != nil {
		return "", fmt.Errorf("remember a browser: %w", err)
	}
	return token, nil
}

func tokenHash(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// SignedIn is who a session's token belongs to; ErrNotFound where it is unknown or over.
func (s *Store) SignedIn(ctx context.Context, token string, now time.Time) (Person, error) {
	var p Person
	err := s.db.WithContext(ctx).Raw(
		"SELECT p.* FROM sessions s JOIN people p ON p.name = s.person WHERE s.token = ? AND s.expires > ? AND p.active = 1",
		tokenHash(token), now.UTC()).Take(&p).Error
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

// PersonChange is what becomes of somebody; "" leaves the password.
type PersonChange struct {
	FullName string
	Role     Role
	Active   bool
	Password string // the new hash
}

// ChangePerson changes somebody. Whoever may no longer sign in, or has a new password, is signed out everywhere. It is
// ErrLastAdministrator where nobody would be left to look after people.
func (s *Store) ChangePerson(ctx context.Context, name string, to PersonChange) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if err := lockPeople(tx); err != nil {
			return err
		}
		var now Person
		if err := tx.Where("name = ?", name).Take(&now).Error; err != nil {
			return err
		}
		set := map[string]any{"full_name": to.FullName, "role": string(to.Role), "active": to.Active}
		if to.Password != "" {
			set["password"], set["must_change"] = to.Password, false
		}
		if err := tx.Model(&Person{}).Where("name = ?", name).Updates(set).Error; err != nil {
			return err
		}
		var left int64
		if err := tx.Raw("SELECT COUNT(*) FROM people WHERE role = 'administrator' AND active = 1").Scan(
			&left).Error; err != nil {
			return err
		}
		if left == 0 {
			return ErrLastAdministrator
		}
		if to.Password != "" || !to.Active {
			return forgetAccess(tx, name)
		}
		return nil
	})
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return ErrNotFound
	}
	if err != nil && !errors.Is(err, ErrLastAdministrator) {
		return fmt.Errorf("change %q: %w", name, err)
	}
	return err
}

// lockPeople lets one change of people happen at a time. A row is written for that: a lock on what is only read is none
// on another node of a cluster.
func lockPeople(tx *gorm.DB) error {
	return tx.Exec("INSERT INTO facts (name, value) VALUES ('people-changes', '1') ON DUPLICATE KEY UPDATE value = value + 1").Error
}

// forgetAccess signs somebody out everywhere and forgets their browsers.
func forgetAccess(tx *gorm.DB, name string) error {
	if err := tx.Exec("DELETE FROM sessions WHERE person = ?", name).Error; err != nil {
		return err
	}
	return tx.Exec("DELETE FROM devices WHERE person = ?", name).Error
}

// SetPassword gives somebody who may sign in another password, and changes nothing else of them; they are signed out
// everywhere. It is ErrNotFound where they may no longer sign in.
func (s *Store) SetPassword(ctx context.Context, name, hash string) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if err := lockPeople(tx); err != nil {
			return err
		}
		done := tx.Exec("UPDATE people SET password = ?, must_change = 0 WHERE name = ? AND active = 1", hash, name)
		if done.Error != nil {
			return done.Error
		}
		if done.RowsAffected == 0 {
			return ErrNotFound
		}
		return forgetAccess(tx, name)
	})
	if err != nil && !errors.Is(err, ErrNotFound) {
		return fmt.Errorf("set the password of %q: %w", name, err)
	}
	return err
}

// EndDemo ends the demo of an installation: its present, its sales, pinned prices and channels go, and nobody gets in
// any more with the password that it shows. Who put another book in its place stays signed in, and has to set a
// password.
func (s *Store) EndDemo(ctx context.Context, by, demoPassword string) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if err := lockPeople(tx); err != nil {
			return err
		}
		var people []Person
		if err := tx.Find(&people).Error; err != nil {
			return err
		}
		for _, p := range people {
			if !passwordFits(p.Password, demoPassword) {
				continue
			}
			// No password fits "!".
			if err := tx.Exec("UPDATE people SET password = '!', must_change = 1, active = ? WHERE name = ?", p.Name == by,
				p.Name).Error; err != nil {
				return err
			}
			if p.Name != by {
				if err := forgetAccess(tx, p.Name); err != nil {
					return err
				}
			}
		}
		for _, statement := range []string{"DELETE FROM facts WHERE name = 'demo-now'",
			"DELETE FROM sales_files WHERE who = 'the demo'", "DELETE FROM checks WHERE who = 'the demo'",
			"DELETE FROM rate_days", "DELETE FROM links"} {
			if err := tx.Exec(statement).Error; err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("end the demo: %w", err)
	}
	return nil
}

// SomebodyLooksAfterPeople reports whether an administrator can sign in.
func (s *Store) SomebodyLooksAfterPeople(ctx context.Context) (bool, error) {
	var n int64
	if err := s.db.WithContext(ctx).Raw(
		"SELECT COUNT(*) FROM people WHERE role = 'administrator' AND active = 1 AND password LIKE '$argon2id$%'").Scan(
		&n).Error; err != nil {
		return false, fmt.Errorf("look for an administrator: %w", err)
	}
	return n > 0, nil
}

// PutAdministrator makes an administrator of a name, or gives the one of that name a new password.
func (s *Store) PutAdministrator(ctx context.Context, p Person) error {
	err := s.db.WithContext(ctx).Exec(
		`INSERT INTO people (name, full_name, role, password, active, created) VALUES (?, ?, 'administrator', ?, 1, ?)
		ON DUPLICATE KEY UPDATE role = 'administrator', password = VALUES(password), active = 1, must_change = 0`, p.Name, p.FullName, p.Password, p.Created.UTC()).Error
	if err != nil {
		return fmt.Errorf("make an administrator: %w", err)
	}
	return nil
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
