package api

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
)

// problem answers with problem details (RFC 9457) outside of typed operations.
func problem(g *gin.Context, status int, detail string) {
	g.Abort()
	g.Header("Content-Type", "application/problem+json")
	g.JSON(status, wire.Problem{Status: status, Title: http.StatusText(status), Detail: detail})
}

// detailed is an error at a place in the request.
type detailed huma.ErrorDetail

func (d detailed) Error() string                  { return d.Message }
func (d detailed) ErrorDetail() *huma.ErrorDetail { e := huma.ErrorDetail(d); return &e }

// What the schema refuses is told with the field that it is about.
func init() {
	plain := huma.NewError
	huma.NewError = func(status int, detail string, errs ...error) huma.StatusError {
		named := slices.Clone(errs)
		for i, err := range errs {
			d, ok := err.(*huma.ErrorDetail)
			if !ok {
				continue
			}
			if _, field, in := strings.Cut(d.Location, "."); in {
				named[i] = &huma.ErrorDetail{Message: field + ": " + d.Message, Location: d.Location, Value: d.Value}
			}
		}
		return plain(status, detail, named...)
	}
}

// refused answers with every fault of documents, placed.
func refused(faults document.Faults) error {
	errs := make([]error, len(faults))
	for i, f := range faults {
		errs[i] = detailed{Message: f.String(), Location: "body." + f.Path, Value: f}
	}
	return huma.NewError(http.StatusUnprocessableEntity, fmt.Sprintf("refused: %s. Nothing was stored.", counted(len(faults), "fault")),
		errs...)
}

// badRows answers with the refused rows of a recording.
func badRows(r *demand.Recording) error {
	errs := make([]error, len(r.Bad))
	for i, b := range r.Bad {
		errs[i] = detailed{Message: b.String(), Location: "body", Value: b}
	}
	return huma.NewError(http.StatusUnprocessableEntity,
		fmt.Sprintf("%s of %s cannot be read; mend them, or leave them out (skipBad; --skip-bad on the command line)",
			counted(r.Bads, "row"), strconv.Itoa(r.Bads+r.Len())), errs...)
}

func counted(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return strconv.Itoa(n) + " " + what + "s"
}

// busyWait is after how long it is worth asking again for work that had no room.
const busyWait = 10 * time.Second

// silent is told while the database does not answer.
const silent = "the database does not answer; the service tries it again all the time, so try again later; its log says more"

// answer turns errors of the inner layers into problems. What is no one's fault
// but ours is logged and not told.
func (s *server) answer(err error, what string) error {
	var bad library.BadRows
	switch {
	case err == nil:
		return nil
	case errors.Is(err, store.ErrNotFound):
		return huma.Error404NotFound("there is no " + what)
	case errors.Is(err, store.ErrConflict):
		return huma.NewError(http.StatusPreconditionFailed,
			what+" was changed by someone else in the meantime; read it again and repeat the change")
	case errors.Is(err, store.ErrBusy):
		return tooMany(busyWait, "too many simulations are waiting; cancel some")
	case errors.Is(err, store.ErrOwnBusy):
		return tooMany(busyWait, "you have as much work waiting as one person may have; cancel some")
	case errors.Is(err, store.ErrOwnFull):
		return tooMany(24*time.Hour, fmt.Sprintf("%d of your results are kept, and that is the most one person may have; drop some (the oldest without a name or a pin go by "+
			"themselves), or", store.MostResults))
	case errors.Is(err, store.ErrTrimmed):
		return huma.Error410Gone(what + " is older than results are kept here, and it had no name and no pin; ask for it again: " +
			"the same documents give the same bytes")
	case errors.Is(err, store.ErrFull):
		s.Log.Error("cannot store", "what", what, "error", err)
		return huma.NewError(http.StatusInsufficientStorage, "the disk of the database is full: free some space; what is stored can be read")
	case errors.Is(err, work.ErrTooLarge):
		return huma.Error422UnprocessableEntity(err.Error())
	case errors.As(err, &bad):
		return badRows(bad.Recording)
	}
	s.Log.Error("cannot answer", "what", what, "error", err)
	if errors.Is(err, store.ErrSilent) {
		return huma.NewError(http.StatusServiceUnavailable, silent)
	}
	return huma.NewError(http.StatusServiceUnavailable, "the service could not do this now; its log says why; try again")
}
