package store_test

import (
	"errors"
	"strings"
	"testing"
	"time"

	"harvik/internal/core/plan"
	"harvik/internal/core/rights"
	"harvik/internal/record"
	"harvik/internal/store"
)

// TestPeople: names are taken once, whatever their case; the last owner stays; who is let in no more has nothing to
// come in by, and leaves their name to others.
func TestPeople(t *testing.T) {
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
	id, err := s.AddPerson(ctx, record.Person{Name: "Ash", Role: rights.Consultant, Groups: []string{"open"}})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.AddPerson(ctx, record.Person{Name: "ash", Role: rights.Reader, Groups: []string{}}); !errors.Is(
		err,
		record.ErrExists,
	) {
		t.Errorf("a name is taken twice: %v", err)
	}
	if err := s.Rename(ctx, 1, "ASH"); !errors.Is(err, record.ErrExists) {
		t.Errorf("the owner takes somebody's name: %v", err)
	}
	one := record.Person{ID: 1, Name: "owner", Role: rights.Reader, Groups: []string{}}
	if err := s.SetPerson(ctx, one); !errors.Is(err, record.ErrBusy) {
		t.Errorf("the last owner becomes a reader: %v", err)
	}
	if err := s.EndPerson(ctx, 1); !errors.Is(err, record.ErrBusy) {
		t.Errorf("the last owner goes: %v", err)
	}
	token, err := s.IssueToken(ctx, record.NewToken{Person: id, Label: "nightly"})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.IssueToken(ctx, record.NewToken{Person: id, Label: "nightly"}); !errors.Is(err, record.ErrExists) {
		t.Errorf("two tokens of one name: %v", err)
	}
	who, err := s.Known(ctx, token, store.Token)
	if err != nil || who.Name != "Ash" || !who.At("heath") || who.At("moor") || who.Role != rights.Consultant {
		t.Errorf("%+v (%v)", who, err)
	}
	narrow, err := s.IssueToken(
		ctx,
		record.NewToken{Person: id, Label: "narrow", Role: rights.Reader, Sites: []string{"moor"}},
	)
	if err != nil {
		t.Fatal(err)
	}
	if who, err = s.Known(ctx, narrow, store.Token); err != nil || who.At("heath") || who.At("moor") ||
		who.Role != rights.Reader {
		t.Errorf("a token bound to a site that its maker does not have: %+v (%v)", who, err)
	}
	if _, err := s.Known(ctx, token, store.Session); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("a token is taken for a session: %v", err)
	}
	session, err := s.IssueSession(ctx, "half", id, "192.0.2.1", "a browser")
	if err != nil {
		t.Fatal(err)
	}
	changed := record.Person{ID: id, Name: "Ash", Role: rights.Reader, Sites: []string{"moor"}, Groups: []string{}}
	if err := s.SetPerson(ctx, changed); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Known(ctx, store.SessionSecret("half", session), store.Session); !errors.Is(
		err,
		record.ErrNotFound,
	) {
		t.Errorf("a session outlives what its person may: %v", err)
	}
	if who, err = s.Known(ctx, token, store.Token); err != nil || who.At("heath") || !who.At("moor") ||
		who.Role != rights.Reader {
		t.Errorf("a token may what its person might: %+v (%v)", who, err)
	}
	invite, err := s.IssueInvite(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	newer, err := s.IssueInvite(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Invited(ctx, invite); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("an invitation outlives a newer one: %v", err)
	}
	if _, err := s.Redeem(ctx, newer, store.Link); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("an invitation signs in without a password: %v", err)
	}
	if err := s.EndPerson(ctx, id); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Known(ctx, token, store.Token); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("a token outlives its person: %v", err)
	}
	if _, err := s.Invited(ctx, newer); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("an invitation outlives its person: %v", err)
	}
	if _, err := s.LoginOf(ctx, "ash"); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("a person who has gone signs in: %v", err)
	}
	again := record.Person{Name: "ash", Role: rights.Owner, Everywhere: true, Groups: []string{}}
	if _, err := s.AddPerson(ctx, again); err != nil {
		t.Errorf("a name is not free again: %v", err)
	}
	if err := s.Note(ctx, record.TrailStep{Who: "Birch", Person: 1, What: "setPlan"}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.AddPerson(ctx, record.Person{Name: "birch", Role: rights.Reader, Groups: []string{}}); !errors.Is(
		err,
		record.ErrExists,
	) {
		t.Errorf("a name is taken under which somebody else did something: %v", err)
	}
	if err := s.Rename(ctx, 1, "birch"); err != nil {
		t.Errorf("somebody does not go by a name of theirs again: %v", err)
	}
	if err := s.EndPerson(ctx, 1); err != nil {
		t.Errorf("the first of two owners cannot go: %v", err)
	}
	if err := s.NameOwner(ctx, "rowan"); err != nil {
		t.Fatal(err)
	}
	if people, err := s.People(ctx); err != nil || len(people) != 1 || people[0].Name != "ash" {
		t.Errorf("%+v (%v)", people, err)
	}
}

// TestTries: who fails too often waits, from one place or under one name; whoever signed in from a place before is not
// shut out by others.
func TestTries(t *testing.T) {
	s, db := opened(t)
	ctx := t.Context()
	try := func(name, place string, good bool, n int) {
		t.Helper()
		for range n {
			if err := s.Tried(ctx, name, place, good); err != nil {
				t.Fatal(err)
			}
		}
	}
	may := func(name, place string, want bool) {
		t.Helper()
		if got, err := s.MayTry(ctx, name, place); err != nil || got != want {
			t.Errorf("%s from %s may try: %v (%v)", name, place, got, err)
		}
	}
	try("rowan", "home", true, 1)
	may("rowan", "far", true)
	try("rowan", "far", false, 10)
	may("rowan", "far", false)
	may("ROWAN", "far", false)
	may("ash", "far", true)
	may("rowan", "near", true)
	for n := range 30 {
		try(strings.Repeat("x", n+1), "far", false, 1)
	}
	may("birch", "far", false) // one place, many names
	for n := range 100 {
		try("rowan", "bot "+strings.Repeat("x", n), false, 1)
	}
	may("rowan", "near", false) // many places, one name
	may("rowan", "home", true)  // but not from where rowan is known
	try("rowan", "home", false, 9)
	may("rowan", "home", true)
	try("rowan", "home", false, 1)
	may("rowan", "home", false)
	try("rowan", "home", true, 1) // as by a link of the machine
	may("rowan", "home", true)
	if _, err := db.ExecContext(ctx, "update attempt set at = at - interval '16 minutes'"); err != nil {
		t.Fatal(err)
	}
	may("rowan", "near", true)
	may("birch", "far", true)
	var said string
	if err := db.QueryRowContext(ctx, "select string_agg(distinct encode(name, 'escape'), ' ') from attempt").Scan(&said); err != nil ||
		strings.Contains(said, "rowan") {
		t.Errorf("names that were tried are kept, which may be passwords: %q (%v)", said, err)
	}
}

// TestTrailStays: the trail is added to, and nothing else, whoever asks.
func TestTrailStays(t *testing.T) {
	s, db := opened(t)
	ctx := t.Context()
	for _, who := range []string{"rowan", "ash"} {
		if err := s.Note(ctx, record.TrailStep{Who: who, Person: 1, Kind: "session", Place: "192.0.2.1", What: "setPlan",
			Site: "heath", Before: []byte(`{"pages": 4}`), After: []byte(`{"pages": 9}`)}); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.Note(ctx, record.TrailStep{Who: "ash", What: "importFigures", After: []byte(`"` + strings.Repeat("x", 1<<20) + `"`)}); err != nil {
		t.Fatal(err)
	}
	all, err := s.Trail(ctx, record.TrailQuery{Who: "ash", Limit: 9})
	if err != nil || len(all) != 2 || string(all[0].After) != `"too long to keep"` ||
		string(all[1].Before) != `{"pages": 4}` ||
		time.Since(all[1].At) > time.Minute {
		t.Errorf("%+v (%v)", all, err)
	}
	if all, err = s.Trail(ctx, record.TrailQuery{Site: "heath", Before: all[1].ID, Limit: 9}); err != nil ||
		len(all) != 1 ||
		all[0].Who != "rowan" {
		t.Errorf("%+v (%v)", all, err)
	}
	for _, sql := range []string{"update trail set who = 'nobody'", "delete from trail", "truncate trail"} {
		if _, err := db.ExecContext(ctx, sql); err == nil || !strings.Contains(err.Error(), "only ever added to") {
			t.Errorf("%s: %v", sql, err)
		}
	}
}
