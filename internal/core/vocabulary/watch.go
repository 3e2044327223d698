package vocabulary

import (
	"strings"

	"harvik/internal/core/watch"
)

// Noticed are what can be otherwise than before at a watched address, or of what a site shows besides its pages.
var Noticed = []Word{
	{watch.Status, "status"}, {watch.Target, "where it redirects"}, {watch.Title, "title"}, {watch.Canonical, "canonical"},
	{watch.RobotsMeta, "what it says to crawlers"}, {watch.H1, "first heading"}, {watch.Text, "main text"},
	{watch.RobotsTxt, "robots.txt"}, {watch.Sitemaps, "sitemap"}, {watch.Certificate, "issuer of the certificate"},
	{watch.DNS, "addresses of the host"},
}

// NoticedWord says what was otherwise.
func NoticedWord(what string) string {
	if name, ok := strings.CutPrefix(what, watch.Header+" "); ok {
		return "header " + name
	}
	return Of(Noticed, what)
}

// Phases are those of a look at an address, in order.
var Phases = []string{"resolving the name", "connecting", "TLS", "first byte", "all of it"}
