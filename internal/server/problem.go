package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"regexp"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/bulk"
	"dogbane/internal/checks"
	"dogbane/internal/intake"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/sending"
	"dogbane/internal/publish/telling"
	"dogbane/internal/publish/timing"
	"dogbane/internal/store"
)

func problem(c *gin.Context, status int, detail string) {
	c.Header("Content-Type", "application/problem+json")
	c.AbortWithStatusJSON(status, model(status, detail))
}

// newError keeps the inside of the program out of answers.
func newError(status int, message string, errs ...error) huma.StatusError {
	e := model(status, message)
	for _, err := range errs {
		var detail *huma.ErrorDetail
		if errors.As(err, &detail) {
			e.Errors = append(e.Errors, &huma.ErrorDetail{Message: withoutInside(detail.Message), Location: detail.Location})
		} else if err != nil && status < http.StatusInternalServerError {
			e.Errors = append(e.Errors, plainDetail(err))
		} else if err != nil {
			slog.Error("request failed", "error", err)
		}
	}
	return e
}

// plainDetail words an error of reading a request without the inside of the program.
func plainDetail(err error) *huma.ErrorDetail {
	var kind *json.UnmarshalTypeError
	var syntax *json.SyntaxError
	switch {
	case errors.As(err, &kind):
		return &huma.ErrorDetail{Location: "body." + kind.Field, Message: "must not be a JSON " + kind.Value}
	case errors.As(err, &syntax):
		return &huma.ErrorDetail{Location: "body", Message: fmt.Sprintf("is no JSON, at byte %d", syntax.Offset)}
	case errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF):
		return &huma.ErrorDetail{Location: "body", Message: "ends in the middle"}
	}
	return &huma.ErrorDetail{Message: withoutInside(err.Error())}
}

// tellsInside finds what JSON and number readers say of how the program is made. Names that people gave may hold any
// word, so only their own beginnings, and phrases that nobody writes, count.
var tellsInside = regexp.MustCompile(`^(json: |strconv\.|invalid character )|Go (struct field|value of type) `)

// withoutInside is a message that tells nothing of how the program is made.
func withoutInside(text string) string {
	if tellsInside.MatchString(text) {
		slog.Debug("a request cannot be read", "error", text)
		return "cannot be read as what is wanted here"
	}
	return text
}

// Stale is the problem document of a write that was based on something that has changed since.
type Stale struct {
	huma.ErrorModel
	Now any `json:"now" doc:"what it is now; null where it was deleted"`
}

// asProblem turns an error of the core or the store into a problem document.
func asProblem(err error) error {
	var question *pricing.QuestionError
	var value *book.InvalidError
	var doc bookfile.Errors
	var conflict *book.Conflict
	var undecided *publish.Undecided
	var dangling *pieces.Dangling
	var unknown *pieces.UnknownPiece
	var whole *publish.ErrWholeOnly
	var turned *timing.ErrTurned
	var unreachable *sending.Unreachable
	var broken *checks.BrokenError
	var outage *store.Outage
	switch {
	case err == nil:
		return nil
	case errors.As(err, &question):
		e := model(http.StatusUnprocessableEntity, question.Problem)
		e.Errors = []*huma.ErrorDetail{{Location: question.Path, Message: question.Problem}}
		return e
	case errors.As(err, &value):
		return invalid(value.Path, value.Problem)
	case errors.As(err, &doc):
		e := model(http.StatusUnprocessableEntity, "This cannot be saved as it is.")
		for _, d := range doc {
			e.Errors = append(e.Errors, &huma.ErrorDetail{Location: d.Path, Message: d.Problem, Value: d.Value})
		}
		return e
	case errors.As(err, &conflict):
		return &Stale{*model(http.StatusPreconditionFailed, "Somebody else has changed this in the meantime."), conflict.Now}
	case errors.As(err, &broken):
		return &BrokenChecks{*model(http.StatusConflict, broken.Error()), broken.Checks}
	case errors.As(err, &undecided):
		e := model(http.StatusConflict, undecided.Error()+".")
		for _, sku := range undecided.SKUs {
			e.Errors = append(e.Errors, &huma.ErrorDetail{Location: sku, Message: "blocked"})
		}
		return e
	case errors.As(err, &dangling):
		return huma.Error409Conflict(dangling.Error())
	case errors.As(err, &unknown):
		return invalid("only.pieces", unknown.Error())
	case errors.As(err, &whole):
		return invalid("only.pieces", whole.Error())
	case errors.As(err, &turned):
		return huma.Error409Conflict(turned.Error())
	case errors.Is(err, publish.ErrFirst):
		return invalid("only.pieces", "Nothing was published in this channel yet: the first publication brings everything.")
	case errors.Is(err, publish.ErrNoChoice):
		return invalid("only", "Nothing is chosen, so nothing would be sent.")
	case errors.Is(err, publish.ErrUnpublished):
		return huma.Error409Conflict("Nothing was published in this channel yet, so nothing can be quoted.")
	case errors.Is(err, publish.ErrNotOwn):
		return huma.Error403Forbidden("Whoever prepared this publication can withdraw it. You can refuse it.")
	case errors.Is(err, publish.ErrNothing):
		return huma.Error409Conflict("There is nothing to send: the channel already has all of this.")
	case errors.Is(err, publish.ErrUnlinked):
		return huma.Error409Conflict("This channel is not connected: nothing says where its prices are to be sent. They are worked out and compared all the same.")
	case errors.As(err, &unreachable):
		return huma.Error409Conflict(upper(unreachable.Error()) + ".")
	case errors.Is(err, publish.ErrOlder):
		return huma.Error409Conflict("A newer publication to this channel is on its way: this one is not sent any more.")
	case errors.Is(err, publish.ErrStale):
		return huma.Error409Conflict("The book, or what the channel shows, has changed since these differences were looked at. Look again before sending.")
	case errors.Is(err, publish.ErrState):
		return huma.Error409Conflict("This publication is not in a state for that any more. Look at it again.")
	case errors.Is(err, publish.ErrOwn):
		return huma.Error403Forbidden("You prepared this publication: somebody else has to decide on it.")
	case errors.Is(err, telling.ErrNoChannel):
		return huma.Error404NotFound("There is no such channel.")
	case errors.Is(err, intake.ErrGone):
		return huma.Error410Gone("This file is no longer at hand. Choose it again.")
	case errors.Is(err, intake.ErrNothing):
		return huma.Error409Conflict("The file changes nothing.")
	case errors.Is(err, bulk.ErrReordered):
		return huma.Error409Conflict("The rules of this layer have changed in the meantime. Look at them again.")
	case errors.Is(err, store.ErrNotFound):
		return huma.Error404NotFound("There is no such thing.")
	case errors.As(err, &outage):
		return huma.ErrorWithHeaders(huma.NewError(http.StatusServiceUnavailable,
			outageText(outage)+" Nothing was saved; it is tried again by itself."), http.Header{"Retry-After": {"2"}})
	case errors.Is(err, context.Canceled):
		return huma.NewError(499, "The request was given up.")
	}
	var status huma.StatusError
	if errors.As(err, &status) {
		return err
	}
	slog.Error("request failed", "error", err)
	return huma.Error500InternalServerError("Something went wrong here. It has been noted in the program's log.")
}

// outageText says what is wrong with the database, and since when.
func outageText(o *store.Outage) string {
	reason := strings.ToUpper(o.Reason[:1]) + o.Reason[1:]
	return fmt.Sprintf("%s, since %s.", reason, o.Since.UTC().Format("2006-01-02 15:04:05 UTC"))
}

// writeProblem answers a problem outside of an operation.
func writeProblem(c *gin.Context, err error) {
	status, detail := http.StatusInternalServerError, "Something went wrong here. It has been noted in the program's log."
	var said huma.StatusError
	if errors.As(err, &said) {
		status, detail = said.GetStatus(), said.Error()
	}
	if status == http.StatusServiceUnavailable {
		c.Header("Retry-After", "2")
	}
	problem(c, status, detail)
}

// invalid is a problem with one value of the request.
func invalid(location, message string) error {
	e := model(http.StatusUnprocessableEntity, message)
	e.Errors = []*huma.ErrorDetail{{Location: location, Message: message}}
	return e
}

func model(status int, detail string) *huma.ErrorModel {
	return &huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: detail}
}

// BrokenChecks is the problem document of a write that would break pinned prices and does not say that somebody has
// seen that.
type BrokenChecks struct {
	huma.ErrorModel
	Checks []checks.Result `json:"checks"`
}
