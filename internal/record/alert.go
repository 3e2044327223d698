package record

import (
	"time"

	"harvik/internal/core/alert"
	"harvik/internal/core/schedule"
)

// A SiteRule is a rule of a site.
type SiteRule struct {
	Site string
	alert.Rule
	Own bool // somebody has made it, or changed the usual one
}

// An Alert is something that was told.
type Alert struct {
	ID       int64
	SiteID   int64
	Site     string
	Rule     string
	What     string
	Subject  string
	Lasts    bool
	Began    time.Time
	Ended    *time.Time
	Told     alert.Told
	Over     string // how it is over, in words
	State    string // AlertNew, …
	Until    *time.Time
	Assignee string
	Reason   string // why it was waved off, or was expected
}

// The states of alerts in the inbox.
const (
	AlertNew    = "new"
	AlertRead   = "read"
	AlertWaved  = "waved off"
	AlertStirs  = "open" // asks for what is new or read, has not been waved off, and is not out of sight
	AlertAll    = "all"  // asks for all
	AlertSilent = "expected"
)

// AlertStates are what alerts can be asked for by.
var AlertStates = []string{AlertStirs, AlertNew, AlertRead, AlertWaved, AlertSilent, AlertAll}

// An AlertChange is what is to be done with an alert; what is nil stays.
type AlertChange struct {
	State    *string
	Until    *time.Time // out of sight until then; the zero time for at once
	Assignee *string
	Reason   string
}

// News is what rules made of a site: alerts to be opened, and those that are over.
type News struct {
	Alerts []Alert
	Over   []AlertOver
	To     map[string][]int64 // by rule, the ways that are told
	Told   []int64            // changes that were looked at
}

// An AlertOver is an alert that is over.
type AlertOver struct {
	Rule    string
	Subject string
	Says    string
	At      time.Time
}

// A Way is how somebody is told.
type Way struct {
	ID      int64
	Name    string
	Kind    string   // Mail, Webhook, Feed
	Address string   // of a mailbox, or of what takes webhooks
	Sites   []string // that it is for; nil for all
	Quiet   string   // hours in which it is left alone, "22:00-07:00"
	Zone    string
	Wake    bool   // but for what is urgent
	Gap     int    // minutes between two messages at least
	Letter  string // when a letter is sent, as schedules say it, such as "mon 07:00"; "" for none
	Allow   string // a range that is not public and that its host may be in
	Off     bool

	Sealed  []byte     // its secret
	Print   []byte     // of a feed's token
	Next    *time.Time // when the next letter is due
	Waiting int        // things that wait to be told
	Last    *time.Time // a message was sent
	Failed  int        // messages that could not be sent, and are given up
	Error   string     // of the newest one that could not be sent
}

// The kinds of ways.
const (
	ByMail    = "mail"
	ByWebhook = "webhook"
	ByFeed    = "feed"
)

// NextLetter is when the next letter of a way is due after a time; nil for never.
func (w *Way) NextLetter(after time.Time) *time.Time {
	if w.Letter == "" {
		return nil
	}
	when := schedule.Schedule{When: w.Letter, Zone: w.Zone}
	table, err := when.Read("")
	if err != nil {
		return nil
	}
	next := table.Next(after)
	return &next
}

// A MailServer takes mail.
type MailServer struct {
	Host   string
	Port   int
	From   string // who sends, such as "Harvik <harvik@fernhollow.example>"
	User   string // "" where it wants none
	Secure string // MailStartTLS (or ""), MailTLS or MailPlain
	Sealed []byte // its password
}

// A Provider is an identity provider of the agency's own.
type Provider struct {
	Name   string // how people call it
	Issuer string // its address
	Client string // by what name it knows Harvik
	Sealed []byte // the secret for that
}

// How a mail server is spoken to.
const (
	MailStartTLS = "starttls"
	MailTLS      = "tls"
	MailPlain    = "plain" // on this machine, or in a network of one's own
)

// A Telling waits to be told by a way.
type Telling struct {
	Alert   int64
	Over    bool
	Created time.Time
	Urgent  bool
}

// A Message is what is sent at once by a way.
type Message struct {
	ID      int64
	Way     int64
	Key     string // stays the same with every try
	Body    MessageBody
	Created time.Time
	Sent    *time.Time
	Tries   int
	Error   string
}

// A MessageBody is what a message says.
type MessageBody struct {
	Subject string
	Items   []MessageItem
	More    int // things that are left out
	Test    bool
	Letter  *Letter
}

// A MessageItem is one thing that is told.
type MessageItem struct {
	Alert int64
	Site  string
	Rule  string
	What  string
	Over  bool
	Says  string
	Lines []string
	More  int
	Count int
	First string
	Link  string // from the console's address on
	Since time.Time
}

// A Letter is what a week brought.
type Letter struct {
	From, Until time.Time
	Sites       []LetterSite
}

// A LetterSite is what a week brought to one site.
type LetterSite struct {
	Site      string
	Latest    int      // the newest finished crawl; 0 for none
	Health    *float64 // of that
	Before    *float64 // as it was when the week began
	Crawls    int      // that finished in it
	Cause     string   // what took or brought most of the last step
	Confirmed []string
	Returned  []string
	Alerts    []string
	Down      []string // outages
	Next      []LetterFix
}

// A LetterFix is a next thing to do.
type LetterFix struct {
	Line  string
	Gain  float64
	Pages int
	Link  string // from the console's address on
}

// A TriedRule is what a rule would have told.
type TriedRule struct {
	Crawls int // that it was held against
	Days   int // of what was watched; 0 for how things are now
	Told   []TriedTold
}

// A TriedTold is one thing that a rule would have told.
type TriedTold struct {
	Crawl int // 0 for what was watched
	At    time.Time
	Says  string
	Over  bool
}

// A Step is how health changed from an earlier crawl to a newer one.
type Step struct {
	Before int // number of the earlier crawl
	Change float64
	Cause  string // what took or brought most of it, in words; "" where nothing did
}

// An AlertSight is how a site stands, for rules that are not about a crawl.
type AlertSight struct {
	Addresses    []alert.Address
	Certificates []alert.Ending
	Different    []alert.Different
	Noticed      []int64 // the changes that Different tells of
	Listed       int     // addresses that all sitemaps list
	Refused      string  // why a crawl that was due was not begun
}
