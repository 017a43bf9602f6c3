package api

import (
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strconv"
	"strings"
	"sync"

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
		accepted := c.Get("Accept-Encoding")
		text, packing, ok := asset(name, accepted)
		if !ok {
			if strings.Contains(path.Base(name), ".") {
				return fiber.ErrNotFound
			}
			name = "index.html"
			if text, packing, ok = asset(name, accepted); !ok {
				c.Status(http.StatusServiceUnavailable).Set("Content-Type", "text/plain; charset=utf-8")
				return c.SendString("The console is not built into this binary. Build it with `make build`.\n")
			}
		}
		if packing != "" {
			c.Set("Content-Encoding", packing)
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

// packings are the ways in which the build packs files, the densest first.
var packings = []struct{ name, suffix string }{{"br", ".br"}, {"gzip", ".gz"}}

// asset reads a file of the console, packed where it was built so and the header says that it is wanted.
func asset(name, accepted string) (text []byte, packing string, ok bool) {
	for _, p := range packings {
		if accepts(accepted, p.name) {
			if text, err := fs.ReadFile(web.Files, "dist/"+name+p.suffix); err == nil {
				return text, p.name, true
			}
		}
	}
	text, err := fs.ReadFile(web.Files, "dist/"+name)
	return text, "", err == nil
}

// accepts reports whether an Accept-Encoding header names a packing, and does not refuse it with a weight of 0.
func accepts(header, packing string) bool {
	for one := range strings.SplitSeq(header, ",") {
		name, weight, weighed := strings.Cut(one, ";")
		if strings.TrimSpace(name) != packing {
			continue
		}
		if !weighed {
			return true
		}
		q, err := strconv.ParseFloat(strings.TrimPrefix(strings.ReplaceAll(weight, " ", ""), "q="), 64)
		return err == nil && q > 0
	}
	return false
}

// engine is the path of the page's engine; "" where the binary holds no console.
var engine = sync.OnceValue(func() string {
	found, err := fs.Glob(web.Files, "dist/assets/engine-*.wasm")
	if err != nil || len(found) == 0 {
		return ""
	}
	return strings.TrimPrefix(found[0], "dist")
})

func contentType(name string) string {
	switch path.Ext(name) {
	case ".js":
		return "text/javascript; charset=utf-8"
	case ".woff2":
		return "font/woff2"
	case ".wasm":
		return "application/wasm" // or a browser does not compile it as it arrives
	case ".webmanifest":
		return "application/manifest+json"
	}
	if kind := mime.TypeByExtension(path.Ext(name)); kind != "" {
		return kind
	}
	return "application/octet-stream"
}
