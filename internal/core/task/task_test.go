package task

import "testing"

func TestMove(t *testing.T) {
	allowed := map[State]string{ // from → to
		Open: "open taken claimed", Taken: "open taken claimed", Claimed: "open taken claimed",
		Returned: "taken claimed",
	}
	for _, from := range States {
		for _, to := range States {
			want := false
			for _, s := range []State{Open, Taken, Claimed} {
				want = want || s == to && contains(allowed[from], string(to))
			}
			if err := Move(from, to); (err == nil) != want {
				t.Errorf("from %s to %s: %v, want it allowed: %v", from, to, err, want)
			}
		}
	}
}

func contains(list, word string) bool {
	for len(list) >= len(word) {
		if list[:len(word)] == word {
			return true
		}
		list = list[1:]
	}
	return false
}

func TestAfter(t *testing.T) {
	for _, c := range []struct {
		before State
		sight  Sight
		since  bool
		after  State
		says   string
	}{
		{Open, There, false, Open, ""},
		{Open, Gone, false, Confirmed, "gone"},
		{Open, Unseen, false, Open, "not seen"},
		{Taken, There, false, Taken, ""},
		{Claimed, There, false, Taken, "claimed, but still there"},
		{Claimed, There, true, Claimed, ""},
		{Claimed, Gone, true, Confirmed, "gone"},
		{Claimed, Unseen, false, Claimed, "not seen"},
		{Confirmed, There, false, Returned, "there again"},
		{Confirmed, Gone, false, Confirmed, ""},
		{Confirmed, Unseen, false, Confirmed, ""},
		{Returned, There, false, Returned, ""},
		{Returned, Gone, false, Confirmed, "gone"},
	} {
		if after, says := After(c.before, c.sight, c.since); after != c.after || says != c.says {
			t.Errorf("After(%s, %d, %v) = %s, %q, want %s, %q", c.before, c.sight, c.since, after, says, c.after,
				c.says)
		}
	}
}
