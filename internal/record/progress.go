package record

// Progress is how far a crawl is.
type Progress struct {
	Phase     string         `json:"phase"`            // "starting", "resuming", "fetching", "probing", "judging", "done"
	Lane      string         `json:"lane,omitempty"`   // what is being fetched: "links", "sitemaps", "resources", "outbound"
	Fetched   int            `json:"fetched"`          // addresses
	Pages     int            `json:"pages"`            // of these, those that count for the plan's number of pages
	Resources int            `json:"resources"`        // of these, the others
	Waiting   int            `json:"waiting"`          // known and still to be fetched in this lane
	Later     int            `json:"later"`            // likewise, in later ones
	Known     int            `json:"known"`            // addresses of any kind
	Beyond    int            `json:"beyond,omitempty"` // mentions of addresses that were not taken up: the crawl knows as many as its plan has use for
	Failures  int            `json:"failures"`         // no answer, or one of 400 and above
	Findings  int            `json:"findings"`         // places so far
	Retries   int            `json:"retries"`
	Bytes     int64          `json:"bytes"`   // of bodies, on the wire
	Rate      float64        `json:"rate"`    // addresses a second, over the last seconds
	Seconds   float64        `json:"seconds"` // spent on it so far
	Left      float64        `json:"left"`    // seconds at this rate for what waits; 0 if it cannot be told
	Statuses  map[string]int `json:"statuses"`
	States    map[string]int `json:"states,omitempty"` // of all known addresses, as of a moment ago
	Types     map[string]int `json:"types,omitempty"`
	Depths    map[int]int    `json:"depths,omitempty"`
	Sections  map[string]int `json:"sections,omitempty"`
	Last      string         `json:"last,omitempty"`   // address fetched last
	Errors    []FetchError   `json:"errors,omitempty"` // the last ones, oldest first
	Pace      *Pace          `json:"pace,omitempty"`   // on the home page's host
}

// Pace is how fast a host is being asked, and why no faster.
type Pace struct {
	Parallel int     `json:"parallel"`         // requests at once, now
	Of       int     `json:"of"`               // and by the plan
	Gap      float64 `json:"gap"`              // seconds between the starts of two requests
	Waits    float64 `json:"waits,omitempty"`  // seconds until the next start, where the server asked to wait
	Reason   string  `json:"reason,omitempty"` // what slows it, in words
	Crawls   int     `json:"crawls"`           // that share this host
}

// FetchError is a fetch that failed.
type FetchError struct {
	Address string `json:"address"`
	What    string `json:"what"` // "status 404", or the outcome
	Detail  string `json:"detail,omitempty"`
}
