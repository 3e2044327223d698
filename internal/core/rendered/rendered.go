// Package rendered is what a browser made of a page: how it ended, what stands otherwise than in the source, how soon
// it stood, and what does not fit a device. It computes; who drives the browser is another's affair.
package rendered

import (
	"math"
	"slices"
)

// An Outcome is how the rendering of a page ended.
type Outcome string

// Outcomes. All but the first have no reading.
const (
	Rendered Outcome = "rendered"  // there is something to read
	Failed   Outcome = "no-answer" // the page itself did not come
	Moved    Outcome = "moved"     // it leads browsers on to another address
	Stuck    Outcome = "stuck"     // its scripts kept the browser from answering in time
	Crashed  Outcome = "crashed"   // the browser gave it up, as it took too much
	TooLarge Outcome = "too-large" // what came of it is larger than the plan reads of a page
)

// Says is an outcome in words.
func (o Outcome) Says() string {
	return map[Outcome]string{
		Rendered: "rendered", Failed: "the page did not come", Moved: "it leads browsers on to another address",
		Stuck:   "its scripts kept the browser from answering",
		Crashed: "the browser gave it up, as it took too much", TooLarge: "what came of it is too large to read",
	}[o]
}

// By what a page was held to be done.
const (
	Settled  = "settled"  // it was loaded, and network and document were quiet
	Selector = "selector" // what the plan waits for was there
	TimeUp   = "time"     // neither within the plan's time
)

// A Page is what a browser made of a page on one device.
type Page struct {
	Device  string
	Outcome Outcome
	Detail  string // of an outcome other than rendered, and of one that lacks something
	Done    string // by what it was held to be done: Settled, Selector or TimeUp
	Took    int    // ms until then, from the beginning of navigation

	Differs  []Difference // from the source
	Links    int          // that only scripts make
	AllLinks int          // as rendered
	Lost     int          // links of the source that scripts take away
	Words    int          // of the main text, as rendered
	Source   int          // words of the main text in the source

	Speed   Speed
	Fit     Fit
	Weight  []Weight // by kind of what was loaded, the heaviest first
	Hosts   []Host   // others that something came from, the heaviest first
	Console []Message
	Missing []Missing   // requests that failed
	Large   []Oversized // images larger than shown
	Unused  []Unused    // scripts and stylesheets of which much was loaded for nothing, the most first
	Taps    []Tap       // how soon what the plan taps answers
	Hides   []string    // texts that a phone does not show and a desktop does; of a phone alone
	Hidden  int         // their words, those that are not listed among them
	Covers  string      // the element that covers most of the first view, "" for none
	Screen  string      // the picture of the first view, by its hash; "" for none
}

// A Difference is what stands otherwise in the source and after scripts.
type Difference struct {
	What   string   // one of Differences, by its name
	Source []string // what stands only in the source, in its order
	Built  []string // what stands only after scripts
	More   int      // differences beyond what is listed
}

// A Kind of difference.
type Kind struct{ Name, Say string }

// Differences are all kinds, in the order in which they are shown.
var Differences = []Kind{
	{"title", "title"}, {"description", "description"}, {"canonical", "canonical"}, {"robots", "robots"},
	{"language", "language"}, {"headings", "headings"}, {"text", "main text"}, {"links", "links"},
	{"images", "images"}, {"data", "structured data"}, {"alternates", "alternates"},
}

// Speed is measured in the laboratory: on this machine, of one load or as the median of several, as the standards of
// the web define it (Navigation Timing, Paint Timing, Largest Contentful Paint, Layout Instability, Long Tasks). Times
// are in milliseconds from the beginning of navigation; −1 is not known.
type Speed struct {
	FirstByte   float64
	FirstPaint  float64 // first contentful paint
	LargestAt   float64 // largest contentful paint
	Largest     string  // its element
	Loaded      float64 // the load event
	Shift       float64 // cumulative layout shift: the worst session window
	Shifts      []Shift // what moved, the worst first
	Blocked     float64 // of tasks longer than 50 ms, what is beyond, after the first paint
	Tasks       []Task  // these tasks by whose script they run, the longest first
	Requests    int
	Transferred int      // bytes
	Kept        int      // of these, those that the browser may keep for a day or longer without asking
	Runs        int      // loads of which these are the medians
	Holding     []string // addresses of what holds the first paint up
	Throttled   bool     // as on a slow phone
}

// A Shift is an element that moved.
type Shift struct {
	Element string
	Value   float64
}

// A Task is main-thread work of one script.
type Task struct {
	By      string // address of the script, "" where it is not known
	Blocked float64
}

// A Weight is what a kind of resource takes.
type Weight struct {
	Kind     string
	Requests int
	Bytes    int // as transferred
}

// A Host is one of others that something was loaded from.
type Host struct {
	Name     string
	Requests int
	Bytes    int
	Blocked  bool // by the plan, or the guard
}

// A Message is one that the browser's console has.
type Message struct {
	Text   string
	At     string // address and line, "" where they are not known
	Mixed  bool   // about what an https page loads over http
	Thrown bool   // an exception that nothing caught
}

// A Missing is a request that failed.
type Missing struct {
	Address string
	Status  int    // 0 where no answer came
	Why     string // of no answer
}

// An Oversized is an image that is larger than it is shown.
type Oversized struct {
	Address      string
	Width        int // of the file, in pixels
	Height       int
	Shown        int // width in which it is shown, in pixels of the device
	ShownHeight  int
	Bytes, Spare int // as transferred; what a file of the right size would spare, about
}

// An Unused is a script or a stylesheet that was loaded for more than the page uses: of scripts the functions that did
// not run, of stylesheets the rules that matched nothing until the page was done.
type Unused struct {
	Address      string
	Kind         string // script or style, as of Weight
	Bytes, Spare int    // as transferred; of these, what was not used, about
}

// Kinds of what may go unused.
const (
	Script = "script"
	Style  = "style"
)

// A Tap is how a page answers to a tap, or a click, on what the plan names (Event Timing, measured to the next paint).
type Tap struct {
	Selector string
	Element  string  // "" where nothing on the page is meant, or something lies over it
	Took     float64 // ms from the tap to the paint that answers it
}

// Fit is how a page fits the device.
type Fit struct {
	Width     int // of the device's view, in CSS pixels
	Content   int // width of the document: more than Width where one has to scroll sideways
	Wide      string
	Targets   int      // things to tap
	Small     []string // those too small or too close, as elements with their size
	SmallMore int
	Text      int // letters
	SmallText int // of these, those smaller than 12 px
}

// Bounds of what is kept of a page.
const (
	MostListed = 40    // values of a difference, each side
	MostLong   = 300   // characters of a value
	MostKept   = 20    // messages, hosts, tasks and the like
	LeastSpare = 5_000 // bytes that are worth being told of as unused
	LeastPart  = 0.2   // and what part of a file
)

// Found tells whether there is something to read.
func (p *Page) Found() bool { return p.Outcome == Rendered }

// Differ is the difference of a kind, nil for none.
func (p *Page) Differ(what string) *Difference {
	if i := slices.IndexFunc(p.Differs, func(d Difference) bool { return d.What == what }); i >= 0 {
		return &p.Differs[i]
	}
	return nil
}

// Spare is how many bytes of scripts and stylesheets the page does not use, about.
func (p *Page) Spare() (n int) {
	for i := range p.Unused {
		n += p.Unused[i].Spare
	}
	return n
}

// Changed are the kinds of differences that there are, by their names.
func (p *Page) Changed() []string {
	out := make([]string, len(p.Differs))
	for i := range p.Differs {
		out[i] = p.Differs[i].What
	}
	return out
}

// WorstWindow is the cumulative layout shift of shifts at these times in milliseconds, in their order: the largest sum
// within a session, which ends where a second passes without one, or after five (Layout Instability; the usual
// definition of CLS).
func WorstWindow(at, values []float64) (worst float64) {
	sum, begun, last := 0.0, 0.0, 0.0
	for i, t := range at {
		if i == 0 || t-last > 1000 || t-begun > 5000 {
			sum, begun = 0, t
		}
		last = t
		sum += values[i]
		worst = max(worst, sum)
	}
	return math.Round(worst*10000) / 10000
}
