package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"dogbane/internal/mail"
)

type mailRow struct {
	ID        int64
	Recipient string
	Subject   string
	Body      string
	HTML      string `gorm:"column:html"`
	Made      time.Time
	Due       time.Time
	Tries     int
	Sent      *time.Time
	Problem   string
}

func (mailRow) TableName() string { return "mails" }

// mostTries is how often a mail is tried, with longer and longer pauses: for about a day.
const mostTries = 12

func addMails(tx *gorm.DB, mails []mail.Message, at time.Time) error {
	for _, m := range mails {
		row := mailRow{Recipient: m.To, Subject: shorten(m.Subject, 200), Body: m.Text, HTML: m.HTML, Made: at, Due: at}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
	}
	return nil
}

// NextMail hands the mail that is due next to send and keeps what came of it; its row is locked meanwhile, so that no
// other instance sends it too.
func (s *Store) NextMail(ctx context.Context, now time.Time, send func(mail.Message) error) (found bool, err error) {
	err = s.transaction(ctx, func(tx *gorm.DB) error {
		var row mailRow
		err := tx.Raw(`SELECT * FROM mails WHERE sent IS NULL AND tries < ? AND due <= ?
			ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED`, mostTries, now).Take(&row).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		found = true
		row.Tries++
		one := mail.Message{To: row.Recipient, Subject: row.Subject, Text: row.Body, HTML: row.HTML}
		if problem := send(one); problem != nil {
			row.Problem = shorten(problem.Error(), 500)
			row.Due = now.Add(time.Duration(1<<row.Tries) * 10 * time.Second)
		} else {
			row.Sent, row.Problem = &now, ""
		}
		return tx.Model(&row).Select("tries", "due", "sent", "problem").Updates(&row).Error
	})
	if err != nil {
		return false, fmt.Errorf("send the next mail: %w", err)
	}
	return found, nil
}
