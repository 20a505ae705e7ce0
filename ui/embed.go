// Package ui holds the built interface.
package ui

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files returns the built interface; it is empty until "make build" has run.
func Files() fs.FS {
	sub, err := fs.Sub(dist, "dist")
	if err != nil {
		panic("ui: the embedded folder is missing: " + err.Error())
	}
	return sub
}
