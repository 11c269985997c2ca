package v1

// ExportRequest asks for the settings of devices as a file.
type ExportRequest struct {
	Where string `json:"where,omitempty" maxLength:"4000" doc:"A selector: of which devices; all when left out"`
	Over  string `json:"over,omitempty" maxLength:"8388608" doc:"A file that was written before: its comments are kept"`
}

// SettingsFile is the settings of devices as a file (YAML; /settings/schema describes its form).
type SettingsFile struct {
	Text    string `json:"text"`
	Devices int    `json:"devices"`
}

// FileRequest turns a file into a draft.
type FileRequest struct {
	Text   string `json:"text" maxLength:"8388608"`
	Whole  bool   `json:"whole,omitempty" doc:"What the file does not name on its devices goes back to its default, and what they hold besides is removed"`
	DryRun bool   `json:"dry_run,omitempty" doc:"Only tell what it would make different"`
	Change int64  `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The draft; a new one when left out"`
	Why    string `json:"why,omitempty" maxLength:"500" doc:"Of a new draft"`
}

// FileAnswer is what a file makes different.
type FileAnswer struct {
	Change      *Change      `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The draft; left out when nothing differs, or nothing was to be made"`
	Differences []Difference `json:"differences"`
	Objects     int          `json:"objects" doc:"How many things the file speaks of"`
}
