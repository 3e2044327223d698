package plan

import "strings"

// An Agent is a User-Agent under a short name.
type Agent struct {
	Name   string `json:"name"`
	Header string `json:"header"`
	Token  string `json:"token,omitempty"` // that its robots.txt rules go by, as its operator documents it
}

const (
	phoneBrowser   = "Mozilla/5.0 (Linux; Android 10; K) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Mobile Safari/537.36"
	desktopBrowser = "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36"
	webKit         = "Mozilla/5.0 AppleWebKit/537.36 (KHTML, like Gecko; compatible; "
)

// Agents are the strings that operators of search and AI crawlers document in public, and those
// of common browsers.
var Agents = []Agent{
	{Phone, phoneBrowser, ""},
	{Desktop, desktopBrowser, ""},
	{"google-phone", "Mozilla/5.0 (Linux; Android 6.0.1; Nexus 5X Build/MMB29P) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Mobile Safari/537.36 (compatible; Googlebot/2.1; +http://www.google.com/bot.html)", "googlebot"},
	{"google-desktop", "Mozilla/5.0 AppleWebKit/537.36 (KHTML, like Gecko; compatible; Googlebot/2.1; +http://www.google.com/bot.html) Chrome/140.0.0.0 Safari/537.36", "googlebot"},
	{"bing-phone", "Mozilla/5.0 (Linux; Android 6.0.1; Nexus 5X Build/MMB29P) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Mobile Safari/537.36 (compatible; bingbot/2.0; +http://www.bing.com/bingbot.htm)", "bingbot"},
	{"bing-desktop", webKit + "bingbot/2.0; +http://www.bing.com/bingbot.htm) Chrome/140.0.0.0 Safari/537.36",
		"bingbot"},
	{"duckduckgo", "DuckDuckBot/1.1; (+http://duckduckgo.com/duckduckbot.html)", "duckduckbot"},
	{"apple", "Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15_5) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/13.1.1 Safari/605.1.15 (Applebot/0.1; +http://www.apple.com/go/applebot)", "applebot"},
	{"gpt", webKit + "GPTBot/1.2; +https://openai.com/gptbot)", "gptbot"},
	{"gpt-search", webKit + "OAI-SearchBot/1.0; +https://openai.com/searchbot)", "oai-searchbot"},
	{"claude", webKit + "ClaudeBot/1.0; +claudebot@anthropic.com)", "claudebot"},
	{"perplexity", webKit + "PerplexityBot/1.0; +https://perplexity.ai/perplexitybot)", "perplexitybot"},
}

func agentNamed(name string) (Agent, bool) {
	for _, a := range Agents {
		if strings.EqualFold(a.Name, name) {
			return a, true
		}
	}
	return Agent{}, false
}

// UserAgent is the header to send.
func (p Plan) UserAgent() string {
	if a, ok := agentNamed(p.Agent); ok {
		return a.Header
	}
	return p.Agent
}
