package service

import (
	"context"
	"errors"
	"fmt"

	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/service/permission"
	"example.net/everypost/internal/store"
)

// mailboxes tell notices where people get mail, and of what they may be told.
type mailboxes struct {
	access    *access.Service
	inventory *inventory.Service
}

func (m mailboxes) Mailbox(ctx context.Context, user string) (string, error) {
	p, err := m.access.ByName(ctx, user)
	if errors.Is(err, access.ErrNoSession) {
		return "", fmt.Errorf("user %s: %w", user, store.ErrNotFound)
	}
	return p.Mail, err
}

func (m mailboxes) Sees(ctx context.Context, user, device string) bool {
	p, err := m.access.ByName(ctx, user)
	if err != nil {
		return false
	}
	see := permission.To(rights.See, rights.Alarms)
	if device == "" {
		return permission.Everywhere(p, see)
	}
	return m.inventory.HoldsDevice(device, permission.Within(p, see))
}
