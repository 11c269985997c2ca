// Package console holds the built web console, so that one binary serves it.
package console

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var built embed.FS

// Files returns the console's files. A build without a console has no index.html.
func Files() fs.FS {
	files, err := fs.Sub(built, "dist")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return files
}
