package server

import (
	"context"
	"time"

	"example.net/everypost/internal/store"
)

// act has whoever makes the request do something to something, unless refused tells why he may not. What came of it, or that it was refused, goes into
// the audit log.
func (s *server) act(ctx context.Context, action, object string, refused error, do func(by string) error) error {
	by, err := person(ctx).Name, refused
	if err == nil {
		err = do(by)
	}
	s.audit(ctx, by, action, object, outcome(err))
	return err
}

// audit records who did what. What cannot be recorded is at least in the log.
func (s *server) audit(ctx context.Context, user, action, object, detail string) {
	err := s.Store.Audit(context.WithoutCancel(ctx), store.AuditEntry{At: time.Now().UTC(), User: user, Action: action, Object: object, Detail: detail})
	if err != nil {
		s.opts.Log.Error("the audit log could not be written", "user", user, "action", action, "object", object, "err", err)
		s.writes.failed()
	}
}

func outcome(err error) string {
	if err != nil {
		return "refused: " + err.Error()
	}
	return "done"
}
