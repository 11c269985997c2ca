// Package groups keeps named sets of devices: those that a selector picks, and those that were picked by hand. A group is a
// word of the language: group = cameras stands for what the group picks.
package groups

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/store"
)

// Service is the capability. Make it with New.
type Service struct {
	store     *store.Store
	inventory *inventory.Service
	feed      *feed.Feed
}

// New returns the service.
func New(s *store.Store, inv *inventory.Service, f *feed.Feed) *Service {
	return &Service{store: s, inventory: inv, feed: f}
}

// Bounds.
const (
	MaxGroups  = 500
	MaxMembers = 5000
	maxTitle   = 200
)

// List lists the groups by name.
func (s *Service) List(ctx context.Context) ([]store.Group, error) { return s.store.Groups(ctx) }

// Get returns a group.
func (s *Service) Get(ctx context.Context, name string) (store.Group, error) {
	list, err := s.store.Groups(ctx)
	if err != nil {
		return store.Group{}, err
	}
	at := slices.IndexFunc(list, func(g store.Group) bool { return g.Name == name })
	if at < 0 {
		return store.Group{}, fmt.Errorf("group %s: %w", name, store.ErrNotFound)
	}
	return list[at], nil
}

// Put makes or replaces a group.
func (s *Service) Put(ctx context.Context, g store.Group) error {
	if err := network.CheckName(g.Name); err != nil {
		return inventory.Invalid(err.Error())
	}
	if utf8.RuneCountInString(g.Title) > maxTitle {
		return inventory.Invalid(fmt.Sprintf("the title of a group has at most %d characters", maxTitle))
	}
	if g.Pick = strings.TrimSpace(g.Pick); g.Pick != "" && len(g.Members) > 0 {
		return inventory.Invalid("a group has a selector, or members that were picked by hand, not both")
	}
	e, err := catalog.Network.Parse(g.Pick)
	if err != nil {
		return err
	}
	if catalog.SpeaksOfGroups(e) {
		return inventory.Invalid("the selector of a group cannot ask for groups")
	}
	if len(g.Members) > MaxMembers {
		return inventory.Invalid(fmt.Sprintf("a group that is picked by hand has at most %d members", MaxMembers))
	}
	for _, m := range g.Members {
		if there, _ := s.inventory.Knows(m); !there {
			return inventory.Invalid(fmt.Sprintf("there is no device %q", m))
		}
	}
	list, err := s.store.Groups(ctx)
	if err != nil {
		return err
	}
	if len(list) >= MaxGroups && !slices.ContainsFunc(list, func(o store.Group) bool { return o.Name == g.Name }) {
		return fmt.Errorf("there are %d groups, and that is all there may be: %w", MaxGroups, store.ErrFull)
	}
	return s.changed(s.store.PutGroup(ctx, g))
}

// Drop deletes a group; its members stay what they are.
func (s *Service) Drop(ctx context.Context, name string) error {
	err := s.store.DropGroup(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		return fmt.Errorf("group %s: %w", name, err)
	}
	return s.changed(err)
}

// Members adds devices to a group that is picked by hand, and takes others out.
func (s *Service) Members(ctx context.Context, name string, add, remove []string) error {
	g, err := s.Get(ctx, name)
	if err != nil {
		return err
	}
	if g.Pick != "" {
		return inventory.Invalid(fmt.Sprintf("the members of %s are those that its selector picks: edit that", name))
	}
	g.Members = slices.DeleteFunc(append(g.Members, add...), func(m string) bool { return slices.Contains(remove, m) })
	slices.Sort(g.Members)
	g.Members = slices.Compact(g.Members)
	return s.Put(ctx, g)
}

func (s *Service) changed(err error) error {
	if err == nil {
		s.feed.Note(fact.State{Kind: fact.Fleet})
	}
	return err
}

// Expand puts what groups pick in the place of their names.
func (s *Service) Expand(ctx context.Context, e selector.Expr) (selector.Expr, error) {
	if !catalog.SpeaksOfGroups(e) {
		return e, nil
	}
	list, err := s.store.Groups(ctx)
	if err != nil {
		return nil, err
	}
	groups := make([]catalog.Group, len(list))
	for i, g := range list {
		groups[i] = catalog.Group{Name: g.Name, Members: g.Members}
		if g.Pick == "" {
			continue
		}
		if groups[i].Pick, err = catalog.Network.Parse(g.Pick); err != nil {
			return nil, fmt.Errorf("the selector of group %s: %w", g.Name, err)
		}
	}
	return catalog.Expand(e, groups), nil
}
