package record

// Progress is how far a crawl is.
type Progress struct {
	Phase     string // "waiting" for a worker, "starting", "resuming", "fetching", "probing", "judging", "done"
	Lane      string // what is being fetched: "links", "sitemaps", "resources", "outbound"
	Fetched   int    // addresses
	Pages     int    // of these, those that count for the plan's number of pages
	Resources int    // of these, the others
	Waiting   int    // known and still to be fetched in this lane
	Later     int    // likewise, in later ones
	Known     int    // addresses of any kind
	Beyond    int    // mentions of addresses that were not taken up: the crawl knows as many as its plan has use for
	Failures  int    // no answer, or one of 400 and above
	Findings  int    // places so far
	Retries   int
	Bytes     int64   // of bodies, on the wire
	Rate      float64 // addresses a second, over the last seconds
	Seconds   float64 // spent on it so far
	Left      float64 // seconds at this rate for what waits; 0 if it cannot be told
	Statuses  map[string]int
	States    map[string]int // of all known addresses, as of a moment ago
	Types     map[string]int
	Depths    map[int]int
	Sections  map[string]int
	Last      string       // address fetched last
	Errors    []FetchError // the last ones, oldest first
	Pace      *Pace        // on the home page's host
}

// Pace is how fast a host is being asked, and why no faster.
type Pace struct {
	Parallel int     // requests at once, now
	Of       int     // and by the plan
	Gap      float64 // seconds between the starts of two requests
	Waits    float64 // seconds until the next start, where the server asked to wait
	Reason   string  // what slows it, in words
	Crawls   int     // that share this host
}

// FetchError is a fetch that failed.
type FetchError struct {
	Address string
	What    string // "status 404", or the outcome
	Detail  string
}
