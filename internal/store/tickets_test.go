package store_test

import (
	"errors"
	"testing"
	"time"

	"harvik/internal/record"
	"harvik/internal/testkit"
)

// TestTickets: so many wait at once, and one that is used makes room; it is good once, as long as it lasts, for what it
// was made for, and in every service of the database.
func TestTickets(t *testing.T) {
	database := testkit.Tables(t)
	s, other := testkit.Open(t, database), testkit.Open(t, database)
	if _, err := s.IssueSession(t.Context(), "half", 1, "127.0.0.1", "browser"); err != nil {
		t.Fatal(err)
	}
	all, err := s.Credentials(t.Context(), 0)
	if err != nil || len(all) != 1 {
		t.Fatalf("%d credentials (%v)", len(all), err)
	}
	last := ""
	for range 1000 {
		if last, err = s.AddTicket(t.Context(), "/a", all[0].ID, time.Minute); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.AddTicket(t.Context(), "/a", all[0].ID, time.Minute); !errors.Is(err, record.ErrBusy) {
		t.Errorf("one more than may wait: %v", err)
	}
	if address, by, err := other.RedeemTicket(t.Context(), last); err != nil || address != "/a" || by.ID != all[0].ID {
		t.Errorf("a ticket is not good: %q, %+v (%v)", address, by, err)
	}
	if _, _, err := s.RedeemTicket(t.Context(), last); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("a ticket is good twice: %v", err)
	}
	short, err := s.AddTicket(t.Context(), "/b", all[0].ID, 10*time.Millisecond)
	if err != nil {
		t.Fatalf("a used ticket makes no room: %v", err)
	}
	time.Sleep(30 * time.Millisecond)
	if _, _, err := s.RedeemTicket(t.Context(), short); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("a ticket that has run out is good: %v", err)
	}
	orphan, err := s.AddTicket(t.Context(), "/c", all[0].ID, time.Minute)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Revoke(t.Context(), all[0].ID, 0); err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.RedeemTicket(t.Context(), orphan); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("a ticket of a session that has ended is good: %v", err)
	}
}
