package api

import (
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"

	"github.com/gofiber/fiber/v3"

	"nimbusreach/internal/service/web"
)

// console serves the built console. Paths that are no file are the console's own
// addresses and get its page.
func (s *Server) console() {
	s.app.Get("/*", func(c fiber.Ctx) error {
		name := strings.TrimPrefix(path.Clean(c.Path()), "/")
		if name == "" {
			name = "index.html"
		}
		text, packed, ok := asset(name, strings.Contains(c.Get("Accept-Encoding"), "gzip"))
		if !ok {
			if strings.Contains(path.Base(name), ".") {
				return fiber.ErrNotFound
			}
			name = "index.html"
			if text, packed, ok = asset(name, strings.Contains(c.Get("Accept-Encoding"), "gzip")); !ok {
				c.Status(http.StatusServiceUnavailable).Set("Content-Type", "text/plain; charset=utf-8")
				return c.SendString("The console is not built into this binary. Build it with `make build`.\n")
			}
		}
		if packed {
			c.Set("Content-Encoding", "gzip")
		}
		c.Set("Vary", "Accept-Encoding")
		c.Set("Content-Type", contentType(name))
		if strings.HasPrefix(name, "assets/") {
			c.Set("Cache-Control", "public, max-age=31536000, immutable")
		} else {
			c.Set("Cache-Control", "no-cache")
		}
		return c.Send(text)
	})
}

// asset reads a file of the console, packed when that was built and is wanted.
func asset(name string, gzip bool) (text []byte, packed, ok bool) {
	if gzip {
		if text, err := fs.ReadFile(web.Files, "dist/"+name+".gz"); err == nil {
			return text, true, true
		}
	}
	text, err := fs.ReadFile(web.Files, "dist/"+name)
	return text, false, err == nil
}

func contentType(name string) string {
	switch path.Ext(name) {
	case ".js":
		return "text/javascript; charset=utf-8"
	case ".woff2":
		return "font/woff2"
	}
	if kind := mime.TypeByExtension(path.Ext(name)); kind != "" {
		return kind
	}
	return "application/octet-stream"
}
