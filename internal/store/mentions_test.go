package store_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"harvik/internal/core/plan"
	"harvik/internal/core/rights"
	"harvik/internal/core/task"
	"harvik/internal/record"
)

// TestMentions: who is told of notes and of being given fixes, once, and who is not.
func TestMentions(t *testing.T) {
	s, _ := opened(t)
	ctx := t.Context()
	for _, name := range []string{"heath", "moor"} {
		if err := s.AddSite(ctx, name, "http://"+name+".invalid/", plan.Plan{}); err != nil {
			t.Fatal(err)
		}
	}
	heath, _ := s.Site(ctx, "heath")
	if err := s.SetGroups(ctx, heath.ID, []string{"open"}); err != nil {
		t.Fatal(err)
	}
	people := map[string]int64{}
	for _, p := range []record.Person{
		{Name: "Ash", Role: rights.Consultant, Groups: []string{"open"}},
		{Name: "Briar", Role: rights.Reader, Sites: []string{"heath"}},
		{Name: "Clover", Role: rights.Consultant, Sites: []string{"moor"}},
		{Name: "Dill", Role: rights.Client, Sites: []string{"heath"}, Lists: true},
		{Name: "Elder", Role: rights.Consultant, Everywhere: true},
		{Name: "Fern", Role: rights.Consultant, Everywhere: true},
	} {
		if p.Groups == nil {
			p.Groups = []string{}
		}
		id, err := s.AddPerson(ctx, p)
		if err != nil {
			t.Fatal(err)
		}
		people[p.Name] = id
	}
	if err := s.EndPerson(ctx, people["Fern"]); err != nil {
		t.Fatal(err)
	}
	batch := int64(0)
	move := func(who string, change func(*record.Task), fixes ...string) {
		t.Helper()
		batch++
		var changes []record.Change
		for _, fix := range fixes {
			changes = append(changes, record.Change{
				First: record.Task{Fix: fix, Check: "title-long", Line: "line of " + fix, State: task.Open},
				Make: func(now record.Task) (record.Task, string, error) {
					if fix == "refused" {
						return now, "", record.Refuse("no")
					}
					change(&now)
					return now, "changed", nil
				}})
		}
		if _, err := s.ChangeTasks(ctx, heath.ID, who, batch, changes); err != nil {
			t.Fatal(err)
		}
	}
	note := func(text string) func(*record.Task) { return func(t *record.Task) { t.Note = text } }
	given := func(name string) func(*record.Task) { return func(t *record.Task) { t.Assignee = name } }
	told := func(name string) []string {
		t.Helper()
		all, err := s.Mentions(ctx, people[name])
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		var ids []int64
		for _, m := range all {
			if m.Read == nil {
				out = append(out, fmt.Sprintf("%s %s %s %d %q", m.Who, m.Why, m.Fix, m.Fixes, m.Note))
				ids = append(ids, m.ID)
			}
			if m.Site != "heath" || !strings.HasPrefix(m.Line, "line of ") {
				t.Errorf("%+v", m)
			}
		}
		if err := s.ReadMentions(ctx, people[name], ids); err != nil {
			t.Fatal(err)
		}
		return out
	}
	is := func(name string, want ...string) {
		t.Helper()
		if got := told(name); !slices.Equal(got, want) {
			t.Errorf("%s is told %q, not %q", name, got, want)
		}
	}
	nobody := func() {
		t.Helper()
		for name := range people {
			is(name)
		}
	}
	move("Elder", note("@ash @briar @clover @dill @elder @fern @nobody look"), "a", "b", "refused")
	is("Ash", `Elder note a 2 "@ash @briar @clover @dill @elder @fern @nobody look"`)
	is("Briar", `Elder note a 2 "@ash @briar @clover @dill @elder @fern @nobody look"`)
	nobody()
	move("Elder", note("@ash @elder look again"), "a") // as before
	nobody()
	move("Elder", note("nothing"), "refused")
	nobody()
	move("Ash", given("Elder"), "c", "a")
	is("Elder", `Ash given c 2 ""`)
	move("Ash", given("elder"), "c")
	move("Ash", given("Ash"), "c")
	move("Ash", given("Clover"), "c") // who does not see the site
	nobody()
	// What is taken back before it was read was not said.
	move("Elder", func(t *record.Task) { t.Note, t.Assignee = "@ash!", "Ash" }, "d")
	if _, err := s.Undo(ctx, heath.ID, batch, "Elder"); err != nil {
		t.Fatal(err)
	}
	nobody()
	batch = -1 // of what happens by itself, there is none
	move("Elder", note("@ash, by itself"), "e")
	nobody()
	// One who reads does not read for another.
	batch = 50
	move("Elder", note("@ash @briar?"), "f")
	if all, err := s.Mentions(ctx, people["Ash"]); err != nil || len(all) == 0 {
		t.Fatal(err)
	} else if err := s.ReadMentions(ctx, people["Briar"], []int64{all[0].ID}); err != nil {
		t.Fatal(err)
	}
	is("Ash", `Elder note f 1 "@ash @briar?"`)
}
