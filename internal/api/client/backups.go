package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// BackupQuery picks backups.
type BackupQuery struct {
	Where, Device string
	Last          bool // only the last of each device
	Limit         int
}

// Backups lists the configurations of devices that are kept, the newest first.
func (c *Client) Backups(ctx context.Context, q BackupQuery) (v1.List[v1.Backup], error) {
	return get[v1.List[v1.Backup]](ctx, c, "/backups", url.Values{"where": {q.Where}, "device": {q.Device}, "last": {strconv.FormatBool(q.Last)}, "limit": {strconv.Itoa(q.Limit)}})
}

// Backup returns one.
func (c *Client) Backup(ctx context.Context, number int64) (v1.Backup, error) {
	return get[v1.Backup](ctx, c, backupPath(number, ""), nil)
}

func backupPath(number int64, rest string) string {
	return "/backups/" + strconv.FormatInt(number, 10) + rest
}

// TakeBackup reads what a device runs, and keeps it.
func (c *Client) TakeBackup(ctx context.Context, device string) (out v1.Backup, err error) {
	return out, c.call(ctx, http.MethodPost, "/devices/"+url.PathEscape(device)+"/backups", nil, &out)
}

// SearchBackups finds lines that hold a text: in the last backup of each device, or in all.
func (c *Client) SearchBackups(ctx context.Context, text, where string, all bool) (v1.BackupHits, error) {
	return get[v1.BackupHits](ctx, c, "/backups/search", url.Values{"text": {text}, "where": {where}, "all": {strconv.FormatBool(all)}})
}

// BackupContent returns what a backup holds, in the device's own form.
func (c *Client) BackupContent(ctx context.Context, number int64) ([]byte, error) {
	return c.raw(ctx, backupPath(number, "/content"))
}

// CompareBackup tells what differs between a backup and another one, or what its device runs now where other is 0.
func (c *Client) CompareBackup(ctx context.Context, number, other int64) (v1.List[v1.Difference], error) {
	return get[v1.List[v1.Difference]](ctx, c, backupPath(number, "/comparison"), url.Values{"with": {strconv.FormatInt(other, 10)}})
}

// PinBackup has a backup never be dropped, or be as others.
func (c *Client) PinBackup(ctx context.Context, number int64, in v1.BackupPin) (out v1.Backup, err error) {
	return out, c.call(ctx, http.MethodPut, backupPath(number, "/pin"), in, &out)
}

// RestoreBackup makes a draft that brings a device to what a backup holds.
func (c *Client) RestoreBackup(ctx context.Context, number int64, in v1.BackupRestore) (out v1.Change, err error) {
	return out, c.call(ctx, http.MethodPost, backupPath(number, "/restore"), in, &out)
}

// BackupRule says how long backups are kept.
func (c *Client) BackupRule(ctx context.Context) (v1.BackupRule, error) {
	return get[v1.BackupRule](ctx, c, "/backups/rule", nil)
}

// PutBackupRule says how long backups are kept from now on.
func (c *Client) PutBackupRule(ctx context.Context, in v1.BackupRule) (out v1.BackupRule, err error) {
	return out, c.call(ctx, http.MethodPut, "/backups/rule", in, &out)
}

// ImportBackup takes over a configuration that a device had before it was enrolled.
func (c *Client) ImportBackup(ctx context.Context, device string, in v1.BackupImport) (out v1.Backup, err error) {
	return out, c.call(ctx, http.MethodPost, "/devices/"+url.PathEscape(device)+"/backups/import", in, &out)
}
