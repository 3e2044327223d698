package service

import (
	"fmt"
	"net/http"
	"net/netip"
	"strconv"

	"github.com/gin-gonic/gin"
	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"
)

// Rate is how often somebody may ask: so often at once, and so often a second from then on.
type Rate struct {
	Second float64
	Burst  int
}

// Rates are those of all who come from one place, and of each who is let in, by whatever they are let in by.
type Rates struct{ Place, Person Rate }

// usualRates leave a page with all its parts, a team behind one address and a program in a loop alone.
var usualRates = Rates{Place: Rate{200, 2000}, Person: Rate{100, 1000}}

// mostCounted is for how many it is counted how often they asked. Who has not asked for longest is forgotten first.
const mostCounted = 20_000

// often bounds how often each of many asks.
type often struct {
	each Rate
	of   *lru.Cache[string, *rate.Limiter]
}

func newOften(each Rate) *often {
	of, err := lru.New[string, *rate.Limiter](mostCounted)
	if err != nil {
		panic(err) // for a size that is none
	}
	return &often{each, of}
}

// may tells whether one may ask now.
func (o *often) may(who string) bool {
	one, known := o.of.Get(who)
	if !known {
		one = rate.NewLimiter(rate.Limit(o.each.Second), o.each.Burst)
		if other, known, _ := o.of.PeekOrAdd(who, one); known { // since then
			one = other
		}
	}
	return one.Allow()
}

// placePaced refuses who asks too often from where they are.
func (s *Service) placePaced(c *gin.Context) {
	if !s.byPlace.may(neighbours(s.place(c))) {
		tooOften(c, s.byPlace.each)
	}
}

// personPaced refuses who asks too often, from wherever.
func (s *Service) personPaced(c *gin.Context) {
	if !s.byPerson.may(strconv.FormatInt(caller(c).Person, 10)) {
		tooOften(c, s.byPerson.each)
	}
}

func tooOften(c *gin.Context, r Rate) {
	c.Header("Retry-After", retryLater)
	problem(c, http.StatusTooManyRequests, fmt.Sprintf("too many requests: at most %g a second are answered, after %d at once; try again in a moment",
		r.Second, r.Burst))
}

// neighbours are all who have the same address; of IPv6 those of a network, since who has one has all of it.
func neighbours(place string) string {
	at, err := netip.ParseAddr(place)
	if err != nil || !at.Is6() || at.Is4In6() {
		return place
	}
	p, err := at.Prefix(64)
	if err != nil {
		return place
	}
	return p.String()
}
