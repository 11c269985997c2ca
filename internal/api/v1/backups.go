package v1

import "time"

// Backup is a configuration of a device that is kept.
type Backup struct {
	Number      int64      `json:"number" minimum:"1" maximum:"9007199254740991"`
	Device      string     `json:"device"`
	TakenAt     time.Time  `json:"taken_at" doc:"When it was read first"`
	ConfirmedAt *time.Time `json:"confirmed_at,omitempty" doc:"When the device was last backed up and still had it"`
	ChangedBy   string     `json:"changed_by,omitempty" doc:"Who changed the device to it, where it says so"`
	Why         string     `json:"why" enum:"change,hand,job,upgrade,import" doc:"It was read last: because the device was changed, by hand, by a job, before an upgrade; import: it was kept elsewhere"`
	By          string     `json:"by,omitempty" doc:"Who had it read last"`
	Model       string     `json:"model,omitempty" doc:"Of the device then"`
	Firmware    string     `json:"firmware,omitempty"`
	Pinned      bool       `json:"pinned" doc:"It is never dropped"`
	Note        string     `json:"note,omitempty"`
	Last        bool       `json:"last" doc:"The device had no other since"`
}

// BackupImport is a configuration that a device had before it was enrolled.
type BackupImport struct {
	TakenAt   time.Time `json:"taken_at" doc:"When the device had it: before it was enrolled"`
	ChangedBy string    `json:"changed_by,omitempty" maxLength:"100" doc:"Who changed the device to it"`
	Model     string    `json:"model,omitempty" maxLength:"100" doc:"Of the device then"`
	Firmware  string    `json:"firmware,omitempty" maxLength:"100"`
	Document  string    `json:"document" minLength:"1" maxLength:"4000000" doc:"In the device's own form, as a backup is downloaded"`
}

// BackupPin has a backup never be dropped, or be as others.
type BackupPin struct {
	Pinned bool   `json:"pinned"`
	Note   string `json:"note,omitempty" maxLength:"500" doc:"What is said of it"`
}

// BackupHit is a line of a backup in which words were found.
type BackupHit struct {
	Backup  int64     `json:"backup" minimum:"1" maximum:"9007199254740991"`
	Device  string    `json:"device"`
	TakenAt time.Time `json:"taken_at"`
	Line    int       `json:"line" doc:"From 1"`
	Text    string    `json:"text"`
}

// BackupHits are lines of backups in which words were found.
type BackupHits struct {
	Items    []BackupHit `json:"items"`
	Searched int         `json:"searched" doc:"Backups that were looked through"`
	More     bool        `json:"more" doc:"There are further lines"`
}

// BackupRestore makes a change that brings a device to what a backup holds.
type BackupRestore struct {
	Onto string `json:"onto,omitempty" maxLength:"63" doc:"The device; the one that the backup is of when left out"`
	Part string `json:"part,omitempty" enum:"whole,policies" doc:"All, or only access lists and where they are in force; whole when left out"`
}

// BackupRule says how long backups are kept.
type BackupRule struct {
	Days  int `json:"days" minimum:"1" maximum:"3660" doc:"After a backup was replaced by another"`
	Least int `json:"least" minimum:"1" maximum:"1000" doc:"Of each device so many are kept, however old"`
}
