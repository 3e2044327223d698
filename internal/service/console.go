package service

import (
	"bytes"
	"crypto/rand"
	"io/fs"
	"net/http"
	"path"
	"strings"

	"harvik/internal/api"

	"github.com/gin-gonic/gin"
)

func (s *Service) openAPI(c *gin.Context) { c.Data(http.StatusOK, "application/yaml", api.Description) }

// noncePlace is where the built page has the nonce of its styles.
const noncePlace = "__NONCE__"

// serveConsole answers what no route does: files of the console, and its index page for the
// addresses that it keeps in the browser.
func (s *Service) serveConsole(c *gin.Context) {
	name := strings.TrimPrefix(path.Clean(c.Request.URL.Path), "/")
	switch {
	case strings.HasPrefix(name, "api/"):
		problem(c, http.StatusNotFound,
			"there is nothing at this address; /api/v1/openapi.yaml describes what there is")
		return
	case c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead:
		s.noMethod(c)
		return
	}
	if info, err := fs.Stat(s.console, name); err == nil && !info.IsDir() {
		if strings.HasPrefix(name, "assets/") { // named by their content
			c.Header("Cache-Control", "public, max-age=31536000, immutable")
		}
		http.ServeFileFS(c.Writer, c.Request, s.console, name)
		return
	}
	if path.Ext(name) != "" && strings.HasPrefix(name, "assets/") {
		problem(c, http.StatusNotFound, "no such file")
		return
	}
	index, err := fs.ReadFile(s.console, "index.html")
	if err != nil {
		index, _ = fs.ReadFile(s.console, "placeholder.html")
	}
	nonce := rand.Text()
	c.Header("Cache-Control", "no-cache")
	c.Header("Content-Security-Policy", contentPolicy(nonce))
	c.Data(http.StatusOK, "text/html; charset=utf-8", bytes.ReplaceAll(index, []byte(noncePlace), []byte(nonce)))
}
