// Package web holds the built interface and serves it. Begin reading at Handler.
package web

import (
	"bytes"
	"compress/gzip"
	"embed"
	"io"
	"io/fs"
	"net/http"
	"path"
	"strings"
)

//go:embed all:dist
var dist embed.FS

// serveWASM serves a module that is kept packed: packing it for everybody who asks would take a second each.
func serveWASM(w http.ResponseWriter, r *http.Request, files fs.FS, name string) {
	packed, err := fs.ReadFile(files, name+".gz")
	if err != nil {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	w.Header().Set("Content-Type", "application/wasm")
	w.Header().Set("Vary", "Accept-Encoding")
	if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
		w.Header().Set("Content-Encoding", "gzip")
		_, _ = w.Write(packed)
		return
	}
	if plain, err := gzip.NewReader(bytes.NewReader(packed)); err == nil {
		_, _ = io.Copy(w, plain)
	}
}

// Handler serves the interface. Every address that is no file is one of the interface's own, so it gets the page.
func Handler() http.Handler {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // dist is embedded, so this can't be
	}
	server := http.FileServerFS(files)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := strings.TrimPrefix(path.Clean("/"+r.URL.Path), "/")
		info, err := fs.Stat(files, name)
		switch {
		case err != nil && strings.HasSuffix(name, ".wasm"):
			serveWASM(w, r, files, name)
		case err == nil && !info.IsDir() && strings.HasPrefix(name, "assets/"):
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable") // their names change with them
			server.ServeHTTP(w, r)
		case err == nil && !info.IsDir() && name != "index.html":
			server.ServeHTTP(w, r)
		case strings.HasPrefix(name, "assets/"):
			http.NotFound(w, r)
		default:
			page, err := fs.ReadFile(files, "index.html")
			if err != nil {
				http.Error(w, "The interface is not built into this program; run ./loom build", http.StatusNotFound)
				return
			}
			w.Header().Set("Cache-Control", "no-cache")
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			_, _ = w.Write(page)
		}
	})
}
