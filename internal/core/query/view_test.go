package query

import (
	"errors"
	"strings"
	"testing"
)

// TestViews: what comes with Harvik is understood, and each by another name.
func TestViews(t *testing.T) {
	seen := map[string]bool{}
	for _, v := range Views {
		if _, err := v.Understand(); err != nil || seen[v.Name] || v.Say == "" {
			t.Errorf("%s: %v", v.Name, err)
		}
		seen[v.Name] = true
		v.Name += "-of-mine"
		if err := v.Check(); err != nil {
			t.Errorf("%s: %v", v.Name, err)
		}
	}
	if len(seen) != 10 {
		t.Errorf("%d views", len(seen))
	}
}

// TestUnderstand: a view is understood as it is written; what is wrong is told by its part.
func TestUnderstand(t *testing.T) {
	v := View{Of: "links", Question: "follow", Columns: []string{" to: status", "words"}, Order: "-source.words",
		By: "region", Measure: "target.bytes"}
	got, err := v.Understand()
	if err != nil || !got.Falling {
		t.Fatalf("%+v (%v)", got, err)
	}
	links := got.Question.Of
	for i, name := range []string{"target.status", "words"} {
		if links.Picked(got.Columns[i]).Name != name {
			t.Errorf("the column %d is %s", i, links.Picked(got.Columns[i]).Name)
		}
	}
	for pick, name := range map[Pick]string{got.Order: "source.words", got.By: "region", got.Measure: "target.bytes"} {
		if links.Picked(pick).Name != name {
			t.Errorf("picked %s for %s", links.Picked(pick).Name, name)
		}
	}
	if got, err := (&View{Order: "figures.bounce rate"}).Understand(); err != nil || got.Order.Figure != "bounce rate" ||
		got.By.Picks() || got.Falling {
		t.Errorf("by a figure: %+v (%v)", got, err)
	}
	var mistakes Mistakes
	if _, err := (&View{Question: "wordz"}).Understand(); !errors.As(err, &mistakes) {
		t.Errorf("of a wrong question: %v", err)
	}
	for want, v := range map[string]View{
		"of: there is no table \"pics\"":    {Of: "pics"},
		"order: pages have no fact wordz":   {Order: "-wordz"},
		"by: figures is figures by name":    {By: "figures"},
		"by: text is words, which":          {By: "text"},
		"measure: title is words, which":    {By: "status", Measure: "title"},
		"measure: it is measured in groups": {Measure: "words"},
		"columns: pages have no fact adres": {Columns: []string{"title", "adres"}},
		"columns: a view has at most":       {Columns: make([]string, 61)},
		"say: what a view asks is said in":  {Say: strings.Repeat("é", 301)},
		"view: orphans comes with Harvik":   {Name: "orphans"},
	} {
		var fault *Fault
		if err := v.Check(); !errors.As(err, &fault) || !strings.HasPrefix(err.Error(), want) {
			t.Errorf("%q: %v", want, err)
		}
	}
	if err := (&View{Say: strings.Repeat("é", 300), Columns: []string{"figures.visits"}}).Check(); err != nil {
		t.Error(err)
	}
}
