package store

import (
	"cmp"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"
)

// Backup is a configuration that is kept, as it is listed.
type Backup struct {
	Number      int64
	Device      string
	TakenAt     time.Time // when it was read first
	ConfirmedAt time.Time // when it was last read to be so; zero: never again
	ChangedBy   string    // who changed the device, where it says so
	Why         string    // it was read last: "" because the device was changed
	By          string    // who had it read
	Model       string    // of the device then, "" where it is not known
	Firmware    string
	Pinned      bool // it is never dropped
	Note        string
	Last        bool // the device had no other since
}

const backupColumns = `id, device, taken_at, confirmed_at, by_user, why, kept_by, model, firmware, pinned, note,
	NOT EXISTS (SELECT 1 FROM snapshots l WHERE l.device = s.device AND (l.taken_at, l.id) > (s.taken_at, s.id))`

func scanBackup(r interface{ Scan(...any) error }) (b Backup, err error) {
	var taken, confirmed int64
	err = r.Scan(&b.Number, &b.Device, &taken, &confirmed, &b.ChangedBy, &b.Why, &b.By, &b.Model, &b.Firmware, &b.Pinned, &b.Note, &b.Last)
	b.TakenAt, b.ConfirmedAt = timeOf(taken), timeOf(confirmed)
	return b, err
}

// BackupQuery picks backups.
type BackupQuery struct {
	Devices []string // of these devices; nil: of all
	Last    bool     // only the last of each device
	Before  int64    // that were taken before the one of this number, unless it is 0
	Limit   int
}

// Backups lists backups, the newest first.
func (s *Store) Backups(ctx context.Context, q BackupQuery) ([]Backup, error) {
	return list(ctx, s.read, func(r *sql.Rows) (Backup, error) { return scanBackup(r) }, `SELECT * FROM (SELECT `+backupColumns+` AS last FROM snapshots s
		WHERE (?1 = 'null' OR device IN (SELECT value FROM json_each(?1))) AND (?2 = 0 OR (taken_at, id) < (SELECT taken_at, id FROM snapshots WHERE id = ?2) OR id < ?2 AND NOT EXISTS (SELECT 1 FROM snapshots WHERE id = ?2))) WHERE NOT ?3 OR last ORDER BY taken_at DESC, id DESC LIMIT ?4`,
		toJSON(q.Devices), q.Before, q.Last, q.Limit)
}

// Backup returns one.
func (s *Store) Backup(ctx context.Context, number int64) (Backup, error) {
	b, err := scanBackup(s.read.QueryRowContext(ctx, `SELECT `+backupColumns+` FROM snapshots s WHERE id = ?`, number))
	return b, one(err)
}

// BackupContent returns what a backup holds.
func (s *Store) BackupContent(ctx context.Context, number int64) (Snapshot, error) {
	var device string
	var taken int64
	err := s.read.QueryRowContext(ctx, `SELECT device, taken_at FROM snapshots WHERE id = ?`, number).Scan(&device, &taken)
	if err != nil {
		return Snapshot{}, one(err)
	}
	return s.snapshotOf(ctx, device, `SELECT taken_at, by_user, config, content FROM snapshots JOIN documents ON hash = document WHERE id = ?`, number)
}

// AddPast keeps a configuration that a device had before any that is kept, and returns its number. ErrExists tells that one of that moment is kept already.
func (s *Store) AddPast(ctx context.Context, snap Snapshot) (number int64, err error) {
	hash := sha256.Sum256(snap.Document)
	content, config := s.enc.EncodeAll(snap.Document, nil), toJSON(snap.Config)
	err = s.tx(ctx, func(tx *sql.Tx) error {
		var there bool
		if err := tx.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM snapshots WHERE device = ? AND taken_at = ?)`, snap.Device, micro(snap.TakenAt)).Scan(&there); err != nil || there {
			return cmp.Or(err, ErrExists)
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO documents (hash, content) VALUES (?, ?) ON CONFLICT DO NOTHING`, hash[:], content); err != nil {
			return err
		}
		r, err := tx.ExecContext(ctx, `INSERT INTO snapshots (device, taken_at, config, document, by_user, model, firmware, why, kept_by) VALUES (?, ?, ?, ?, ?, ?, ?, 'import', ?)`,
			snap.Device, micro(snap.TakenAt), config, hash[:], snap.By, snap.Model, snap.Firmware, snap.KeptBy)
		if err != nil {
			return err
		}
		number, err = r.LastInsertId()
		return err
	})
	return number, err
}

// ConfirmBackup keeps that a device was read to have the configuration that was kept last, and why it was read. ErrNotFound tells that another one
// was kept meanwhile.
func (s *Store) ConfirmBackup(ctx context.Context, device string, document []byte, at time.Time, why, by, model, firmware string) (number int64, err error) {
	hash := sha256.Sum256(document)
	err = s.write.QueryRowContext(ctx, `UPDATE snapshots SET confirmed_at = ?3, why = ?4, kept_by = ?5, model = ?6, firmware = ?7
		WHERE document = ?2 AND id = (SELECT id FROM snapshots WHERE device = ?1 ORDER BY taken_at DESC, id DESC LIMIT 1) RETURNING id`,
		device, hash[:], micro(at), why, by, model, firmware).Scan(&number)
	return number, one(err)
}

// PinBackup has a backup never be dropped, or be as others, and keeps what is said of it.
func (s *Store) PinBackup(ctx context.Context, number int64, pinned bool, note string) error {
	return changed(s.write.ExecContext(ctx, `UPDATE snapshots SET pinned = ?, note = ? WHERE id = ?`, pinned, note, number))
}

// PruneBackups drops backups that were replaced by others before a time, but for the last so many of each device and those that are pinned, and
// reports how many.
func (s *Store) PruneBackups(ctx context.Context, before time.Time, least int) (dropped int64, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		r, err := tx.ExecContext(ctx, `DELETE FROM snapshots WHERE pinned = 0 AND id IN (SELECT id FROM (
			SELECT id, row_number() OVER w AS place, lag(taken_at) OVER w AS replaced FROM snapshots WINDOW w AS (PARTITION BY device ORDER BY taken_at DESC, id DESC))
			WHERE place > ? AND replaced < ?)`, max(least, 1), micro(before))
		if err != nil {
			return err
		}
		if dropped, err = r.RowsAffected(); err != nil || dropped == 0 {
			return err
		}
		_, err = tx.ExecContext(ctx, `DELETE FROM documents WHERE NOT EXISTS (SELECT 1 FROM snapshots WHERE document = hash)`)
		return err
	})
	return dropped, err
}

// EachBackup reads backups one after another, so that not all of them need be in memory, and ends when f returns false.
func (s *Store) EachBackup(ctx context.Context, numbers []int64, f func(number int64, document []byte) (goOn bool)) error {
	for _, n := range numbers {
		var content []byte
		err := s.read.QueryRowContext(ctx, `SELECT content FROM snapshots JOIN documents ON hash = document WHERE id = ?`, n).Scan(&content)
		if err = one(err); errors.Is(err, ErrNotFound) {
			continue // it was dropped meanwhile
		}
		if err != nil {
			return err
		}
		document, err := s.dec.DecodeAll(content, nil)
		if err != nil {
			return fmt.Errorf("backup %d: %w", n, err)
		}
		if !f(n, document) {
			return nil
		}
	}
	return nil
}

// BackupRule says how long backups are kept.
type BackupRule struct {
	Days  int `json:"days"`  // after a backup was replaced by another
	Least int `json:"least"` // of each device, however old
}

// BackupRule returns the rule by which backups are kept.
func (s *Store) BackupRule(ctx context.Context) (BackupRule, error) {
	r := BackupRule{Days: 365, Least: 10}
	var body string
	err := s.read.QueryRowContext(ctx, `SELECT body FROM backup_rule`).Scan(&body)
	if errors.Is(err, sql.ErrNoRows) {
		return r, nil
	}
	if err != nil {
		return r, err
	}
	return r, json.Unmarshal([]byte(body), &r)
}

// PutBackupRule keeps another rule.
func (s *Store) PutBackupRule(ctx context.Context, r BackupRule) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO backup_rule (one, body) VALUES (1, ?) ON CONFLICT (one) DO UPDATE SET body = excluded.body`, toJSON(r))
	return err
}
