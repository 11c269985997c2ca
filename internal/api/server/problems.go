package server

import (
	"errors"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/circuit"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/core/overlay"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/alarms"
	"example.net/everypost/internal/service/authority"
	"example.net/everypost/internal/service/backups"
	"example.net/everypost/internal/service/captures"
	"example.net/everypost/internal/service/changes"
	"example.net/everypost/internal/service/discovery"
	"example.net/everypost/internal/service/failures"
	"example.net/everypost/internal/service/firmware"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/guests"
	"example.net/everypost/internal/service/history"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/service/jobs"
	"example.net/everypost/internal/service/layers"
	"example.net/everypost/internal/service/notify"
	"example.net/everypost/internal/service/operations"
	"example.net/everypost/internal/service/permission"
	"example.net/everypost/internal/service/policies"
	"example.net/everypost/internal/service/promises"
	"example.net/everypost/internal/service/terminals"
	"example.net/everypost/internal/store"
)

// problem turns an error of the service into a problem of RFC 9457. This is the one place where that is decided. What is
// not expected is logged and told without its inside.
func (s *server) problem(err error) error {
	if err == nil {
		return nil
	}
	var (
		blocked *changes.BlockedError
		edit    *intent.EditError
		key     *driver.KeyError
		refusal *driver.Refusal
		gone    *fleet.GoneError
		own     huma.StatusError
		refused *permission.Refusal

		selection *selector.Error
		kept      *selector.KeptError
		order     *catalog.OrderError
	)
	switch {
	case errors.As(err, &own):
		return err
	case errors.As(err, &refused):
		var details []*huma.ErrorDetail
		for _, ref := range refused.Ports {
			details = append(details, &huma.ErrorDetail{Location: ref.String(), Message: "you have not the right to " + string(refused.Verb) + " this port"})
		}
		return with(http.StatusForbidden, v1.ProblemForbidden, err, details...)
	case errors.Is(err, access.ErrUnrecorded):
		s.opts.Log.Error("an act was refused, since it could not be recorded", "err", err)
		return with(http.StatusServiceUnavailable, v1.ProblemUnrecorded, access.ErrUnrecorded)
	case errors.As(err, &blocked):
		details := make([]*huma.ErrorDetail, len(blocked.Findings))
		for i, f := range blocked.Findings {
			details[i] = &huma.ErrorDetail{Location: f.ID, Message: f.What + " " + f.Do, Value: string(f.Level)}
		}
		return with(http.StatusConflict, v1.ProblemBlocked, err, details...)
	case errors.As(err, &edit):
		return with(http.StatusUnprocessableEntity, v1.ProblemInvalid, err, editDetails(err)...)
	case errors.As(err, &key):
		return with(http.StatusConflict, v1.ProblemHostKey, err)
	case errors.Is(err, driver.ErrCredentials):
		return with(http.StatusUnprocessableEntity, v1.ProblemLogin, err)
	case errors.Is(err, changes.ErrBusy), errors.Is(err, operations.ErrBusy), errors.Is(err, discovery.ErrBusy):
		return with(http.StatusConflict, v1.ProblemBusy, err)
	case errors.Is(err, firmware.ErrSigner):
		return with(http.StatusConflict, v1.ProblemState, err)
	case errors.Is(err, changes.ErrSecondPerson):
		return with(http.StatusForbidden, v1.ProblemForbidden, err)
	case errors.Is(err, changes.ErrState), errors.Is(err, operations.ErrOver), errors.Is(err, guests.ErrOver), errors.Is(err, alarms.ErrOver), errors.Is(err, jobs.ErrState):
		return with(http.StatusConflict, v1.ProblemState, err)
	case errors.As(err, &selection), errors.As(err, &kept):
		return selectorProblem(err)
	case errors.Is(err, layers.ErrNoDrift), errors.Is(err, store.ErrInUse), errors.Is(err, access.ErrLast), errors.Is(err, store.ErrFull), errors.Is(err, terminals.ErrTooMany), errors.Is(err, operations.ErrTooMany), errors.Is(err, inventory.ErrInService):
		return with(http.StatusConflict, v1.ProblemInUse, err)
	case errors.Is(err, store.ErrNotFound):
		return with(http.StatusNotFound, v1.ProblemNotFound, err)
	case errors.Is(err, store.ErrExists):
		return with(http.StatusConflict, v1.ProblemExists, err)
	case errors.Is(err, access.ErrSignIn), errors.Is(err, access.ErrNoSession):
		return with(http.StatusUnauthorized, v1.ProblemSignIn, err)
	case errors.Is(err, access.ErrElsewhere):
		return with(http.StatusBadGateway, v1.ProblemSignIn, err)
	case errors.Is(err, access.ErrSlowDown):
		return with(http.StatusTooManyRequests, v1.ProblemSignIn, err)
	case errors.Is(err, access.ErrInvalid), errors.Is(err, inventory.ErrInvalid), errors.Is(err, inventory.ErrNotAccepted),
		errors.Is(err, history.ErrInvalid), errors.Is(err, setting.ErrUnknown), errors.Is(err, layers.ErrTemplate), errors.Is(err, errInvalid), errors.Is(err, operation.ErrInvalid), errors.Is(err, alarms.ErrInvalid), errors.Is(err, alarm.ErrRule), errors.Is(err, captures.ErrInvalid), errors.Is(err, notify.ErrInvalid), errors.Is(err, jobs.ErrInvalid), errors.Is(err, backups.ErrInvalid), errors.Is(err, policies.ErrInvalid), errors.Is(err, promises.ErrInvalid), errors.Is(err, guests.ErrInvalid), errors.Is(err, failures.ErrInvalid), errors.Is(err, circuit.ErrInvalid), errors.Is(err, radiolink.ErrLicence), errors.Is(err, overlay.ErrInvalid), errors.Is(err, guests.ErrClosed), errors.Is(err, firmware.ErrInvalid), errors.Is(err, authority.ErrImport), errors.Is(err, setting.ErrWebList), errors.As(err, &order):
		return with(http.StatusUnprocessableEntity, v1.ProblemInvalid, err)
	case errors.Is(err, fleet.ErrCannot):
		return with(http.StatusConflict, v1.ProblemCannot, err)
	case errors.As(err, &gone), errors.As(err, &refusal), errors.Is(err, errDevice):
		return with(http.StatusBadGateway, v1.ProblemGone, err)
	}
	s.opts.Log.Error("request failed", "err", err)
	return with(http.StatusInternalServerError, "about:blank", errors.New("something went wrong inside the service; its log tells what"))
}

// errInvalid marks input that a handler found to be wrong, errDevice a device that could not be spoken to.
var (
	errInvalid = errors.New("not valid")
	errDevice  = errors.New("the device could not be spoken to")
)

func with(status int, kind string, err error, details ...*huma.ErrorDetail) error {
	detail := err.Error()
	for _, mark := range []error{errInvalid, operation.ErrInvalid, alarms.ErrInvalid, alarm.ErrRule, captures.ErrInvalid, notify.ErrInvalid, jobs.ErrInvalid, jobs.ErrState, backups.ErrInvalid, policies.ErrInvalid, promises.ErrInvalid, guests.ErrInvalid, failures.ErrInvalid, circuit.ErrInvalid, radiolink.ErrLicence, overlay.ErrInvalid, firmware.ErrInvalid, firmware.ErrSigner, authority.ErrImport, setting.ErrWebList} { // what is wrong comes first
		detail = strings.TrimPrefix(detail, mark.Error()+": ")
	}
	return &huma.ErrorModel{Type: kind, Title: http.StatusText(status), Status: status, Detail: detail, Errors: details}
}

// editDetails lists every edit that cannot be made.
func editDetails(err error) []*huma.ErrorDetail {
	var edit *intent.EditError
	if joined, ok := err.(interface{ Unwrap() []error }); ok {
		var out []*huma.ErrorDetail
		for _, e := range joined.Unwrap() {
			out = append(out, editDetails(e)...)
		}
		return out
	}
	if errors.As(err, &edit) {
		return []*huma.ErrorDetail{{Location: edit.Edit.Port.String() + " " + edit.Edit.Field, Message: edit.Reason, Value: edit.Edit.Value}}
	}
	return nil
}
