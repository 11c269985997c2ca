package server

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/backups"
	"example.net/everypost/internal/store"
)

var (
	seeBackups       = may(rights.See, rights.Backups)
	operateBackups   = may(rights.Operate, rights.Backups)
	seeConfiguration = may(rights.See, rights.Configuration)
)

// maxImported is how large a request is that brings a configuration, in octets.
const maxImported = 9 << 20

func (s *server) backupRoutes(api huma.API) {
	type backupsQuery struct {
		Where  string `query:"where" maxLength:"4000" doc:"A selector: of which devices"`
		Device string `query:"device" maxLength:"63"`
		Last   bool   `query:"last" doc:"Only the last of each device"`
		Cursor int64  `query:"cursor" minimum:"0" maximum:"9007199254740991" doc:"The member next of the page before"`
		Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"200"`
	}
	register(s, api, seeBackups, http.MethodGet, "/backups", "list-backups", "The configurations of devices that are kept, the newest first",
		func(ctx context.Context, in *backupsQuery) (*body[v1.List[v1.Backup]], error) {
			devices, err := s.devicesAsked(ctx, in.Where, in.Device, seeBackups)
			if err != nil {
				return nil, err
			}
			list, err := s.Backups.List(ctx, store.BackupQuery{Devices: devices, Last: in.Last, Before: in.Cursor, Limit: in.Limit})
			out := listOf(list, backupOut)
			if len(list) == in.Limit {
				out.Body.Next = strconv.FormatInt(list[len(list)-1].Number, 10)
			}
			return out, err
		})
	type searchQuery struct {
		Text  string `query:"text" required:"true" minLength:"2" maxLength:"200"`
		Where string `query:"where" maxLength:"4000" doc:"A selector: in those of which devices"`
		All   bool   `query:"all" doc:"In all that are kept, not only the last of each device"`
	}
	register(s, api, seeConfiguration, http.MethodGet, "/backups/search", "search-backups", "Find the lines of backups that hold a text",
		func(ctx context.Context, in *searchQuery) (*body[v1.BackupHits], error) {
			devices, err := s.devicesAsked(ctx, in.Where, "", seeBackups, seeConfiguration)
			if err != nil {
				return nil, err
			}
			list, err := s.Backups.List(ctx, store.BackupQuery{Devices: devices, Last: !in.All, Limit: math.MaxInt32})
			if err != nil {
				return nil, err
			}
			numbers, of := make([]int64, len(list)), map[int64]store.Backup{}
			for i, b := range list {
				numbers[i], of[b.Number] = b.Number, b
			}
			hits, more, err := s.Backups.Search(ctx, numbers, in.Text)
			out := v1.BackupHits{Items: []v1.BackupHit{}, Searched: len(list), More: more}
			for _, h := range hits {
				out.Items = append(out.Items, v1.BackupHit{Backup: h.Backup, Device: of[h.Backup].Device, TakenAt: of[h.Backup].TakenAt, Line: h.Line, Text: h.Text})
			}
			return &body[v1.BackupHits]{out}, err
		})
	register(s, api, seeBackups, http.MethodGet, "/backups/rule", "get-backup-rule", "How long backups are kept",
		func(ctx context.Context, _ *struct{}) (*body[v1.BackupRule], error) {
			r, err := s.Backups.Rule(ctx)
			return &body[v1.BackupRule]{v1.BackupRule(r)}, err
		})
	register(s, api, may(rights.Administer, rights.Backups), http.MethodPut, "/backups/rule", "put-backup-rule", "Say how long backups are kept",
		func(ctx context.Context, in *body[v1.BackupRule]) (*body[v1.BackupRule], error) {
			err := s.act(ctx, "put-backup-rule", fmt.Sprintf("%d days, at least %d", in.Body.Days, in.Body.Least), s.wholeNetwork(ctx, may(rights.Administer, rights.Backups)), func(string) error {
				return s.Backups.SetRule(ctx, store.BackupRule(in.Body))
			})
			return in, err
		})
	register(s, api, operateBackups, http.MethodPost, "/devices/{name}/backups", "take-backup", "Read what a device runs, and keep it",
		func(ctx context.Context, in *NamePath) (*body[v1.Backup], error) {
			var b store.Backup
			err := s.act(ctx, "take-backup", in.Name, s.onDevice(ctx, operateBackups, in.Name), func(by string) (err error) {
				b, _, err = s.Backups.Take(ctx, in.Name, backups.ByHand, by)
				return err
			})
			return &body[v1.Backup]{backupOut(b)}, err
		})
	type importInput struct {
		NamePath
		Body v1.BackupImport
	}
	importing := may(rights.Administer, rights.Backups)
	registerLarge(s, api, maxImported, importing, http.MethodPost, "/devices/{name}/backups/import", "import-backup", "Take over a configuration that another system kept of a device from before it was enrolled",
		func(ctx context.Context, in *importInput) (*body[v1.Backup], error) {
			var b store.Backup
			err := s.act(ctx, "import-backup", in.Name+" of "+in.Body.TakenAt.UTC().Format(time.RFC3339), s.onDevice(ctx, importing, in.Name), func(by string) error {
				record, _, err := s.Inventory.Device(in.Name)
				if err != nil {
					return err
				}
				b, err = s.Backups.Import(ctx, backups.Past{Device: in.Name, By: in.Body.ChangedBy, At: in.Body.TakenAt, Model: in.Body.Model, Firmware: in.Body.Firmware, Document: []byte(in.Body.Document)}, record.EnrolledAt, by)
				return err
			})
			return &body[v1.Backup]{backupOut(b)}, err
		})
	register(s, api, seeBackups, http.MethodGet, "/backups/{number}", "get-backup", "A backup",
		func(ctx context.Context, in *NumberPath) (*body[v1.Backup], error) {
			b, err := s.seenBackup(ctx, in.Number, seeBackups)
			return &body[v1.Backup]{backupOut(b)}, err
		})
	register(s, api, seeConfiguration, http.MethodGet, "/backups/{number}/content", "get-backup-content", "What a backup holds, in the device's own form and without its secrets",
		func(ctx context.Context, in *NumberPath) (*octets, error) {
			b, err := s.seenBackup(ctx, in.Number, seeConfiguration)
			if err != nil {
				return nil, err
			}
			document, err := s.Backups.Content(ctx, in.Number)
			return fileOut("application/xml", fmt.Sprintf("%s-%d.xml", b.Device, b.Number), document), err
		})
	type compareInput struct {
		NumberPath
		With int64 `query:"with" minimum:"0" maximum:"9007199254740991" doc:"Another backup; what the device runs now when left out"`
	}
	register(s, api, seeConfiguration, http.MethodGet, "/backups/{number}/comparison", "compare-backup", "What differs between a backup and another, or what its device runs now",
		func(ctx context.Context, in *compareInput) (*body[v1.List[v1.Difference]], error) {
			if _, err := s.seenBackup(ctx, in.Number, seeConfiguration); err != nil {
				return nil, err
			}
			if in.With != 0 {
				if _, err := s.seenBackup(ctx, in.With, seeConfiguration); err != nil {
					return nil, err
				}
			}
			list, err := s.Backups.Compare(ctx, in.Number, in.With)
			out := make([]v1.Difference, len(list))
			for i, d := range list {
				out[i] = v1.Difference{Port: d.Port.String(), Field: d.Field, Before: d.Before, After: d.After}
			}
			return listOf(out, func(d v1.Difference) v1.Difference { return d }), err
		})
	type pinInput struct {
		NumberPath
		Body v1.BackupPin
	}
	register(s, api, operateBackups, http.MethodPut, "/backups/{number}/pin", "pin-backup", "Have a backup never be dropped, or be as others; and say something of it",
		func(ctx context.Context, in *pinInput) (*body[v1.Backup], error) {
			b, err := s.seenBackup(ctx, in.Number, seeBackups)
			if err != nil {
				return nil, err
			}
			err = s.act(ctx, "pin-backup", fmt.Sprintf("%d of %s", b.Number, b.Device), s.onDevice(ctx, operateBackups, b.Device), func(string) error {
				return s.Backups.Pin(ctx, in.Number, in.Body.Pinned, in.Body.Note)
			})
			if err != nil {
				return nil, err
			}
			b, err = s.Backups.Get(ctx, in.Number)
			return &body[v1.Backup]{backupOut(b)}, err
		})
	type restoreInput struct {
		NumberPath
		Body v1.BackupRestore
	}
	register(s, api, seeConfiguration, http.MethodPost, "/backups/{number}/restore", "restore-backup", "Make a draft that brings a device to what a backup holds",
		func(ctx context.Context, in *restoreInput) (*changeOutput, error) {
			b, err := s.seenBackup(ctx, in.Number, seeConfiguration)
			if err != nil {
				return nil, err
			}
			onto, part := b.Device, backups.Whole
			if in.Body.Onto != "" {
				onto = in.Body.Onto
			}
			if in.Body.Part != "" {
				part = in.Body.Part
			}
			if err := s.onDevice(ctx, seeConfiguration, onto); err != nil {
				return nil, err
			}
			edits, err := s.Backups.Restore(ctx, in.Number, onto, part)
			if err != nil {
				return nil, err
			}
			if err := s.onEdits(ctx, edits); err != nil {
				s.audit(ctx, person(ctx).Name, "restore-backup", fmt.Sprintf("%d onto %s", b.Number, onto), outcome(err))
				return nil, err
			}
			why := fmt.Sprintf("restores backup %d of %s", b.Number, b.TakenAt.Format("2 Jan 2006 15:04"))
			if onto != b.Device {
				why = fmt.Sprintf("restores backup %d of %s onto %s", b.Number, b.Device, onto)
			}
			c, err := s.Changes.Create(ctx, person(ctx).Name, why, edits)
			return s.changed(ctx, "draft", c, err)
		})
}

// devicesAsked lists the devices that a selector picks of those on which who makes the request has the rights; nil for all.
func (s *server) devicesAsked(ctx context.Context, where, device string, needs ...need) ([]string, error) {
	q, err := s.asked(ctx, selector.Device, where, needs...)
	if err != nil {
		return nil, err
	}
	if selector.Both(q.Where, q.Within) == (selector.All{}) && device == "" {
		return nil, nil
	}
	return s.namesOf(q, device), nil
}

// namesAsked is devicesAsked that always lists them.
func (s *server) namesAsked(ctx context.Context, where string, needs ...need) ([]string, error) {
	q, err := s.asked(ctx, selector.Device, where, needs...)
	if err != nil {
		return nil, err
	}
	return s.namesOf(q, ""), nil
}

// namesOf lists the devices that a query picks, or the one of them of a name.
func (s *server) namesOf(q catalog.Query, device string) []string {
	q.Limit, q.Now = math.MaxInt, time.Now()
	names := []string{}
	for _, d := range s.Inventory.Devices(q).Rows {
		if device == "" || d.Name == device {
			names = append(names, d.Name)
		}
	}
	return names
}

// seenBackup is a backup of a device on which who makes the request has a right.
func (s *server) seenBackup(ctx context.Context, number int64, n need) (store.Backup, error) {
	b, err := s.Backups.Get(ctx, number)
	if err == nil && !s.Inventory.HoldsDevice(b.Device, within(ctx, n.Verb, n.Feature)) {
		err = store.ErrNotFound
	}
	return b, missing(err, fmt.Sprintf("backup %d", number))
}

func backupOut(b store.Backup) v1.Backup {
	out := v1.Backup{Number: b.Number, Device: b.Device, TakenAt: b.TakenAt, ConfirmedAt: momentOf(b.ConfirmedAt), ChangedBy: b.ChangedBy, Why: b.Why, By: b.By, Model: b.Model,
		Firmware: b.Firmware, Pinned: b.Pinned, Note: b.Note, Last: b.Last}
	if out.Why == "" {
		out.Why = "change"
	}
	return out
}
