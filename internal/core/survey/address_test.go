package survey

import "testing"

func TestFirstOf(t *testing.T) {
	for address, want := range map[string]string{
		"http://fernhollow.example/journal/page/3/":       "http://fernhollow.example/journal",
		"http://fernhollow.example/journal?page=2":        "http://fernhollow.example/journal",
		"http://fernhollow.example/journal/?s=a&paged=12": "http://fernhollow.example/journal/?s=a",
		"http://fernhollow.example/journal/page/1/":       "",
		"http://fernhollow.example/journal?p=1":           "",
		"http://fernhollow.example/page/about/":           "",
		"http://fernhollow.example/web-page/2/":           "",
	} {
		if first, ok := FirstOf(address); first != want || ok != (want != "") {
			t.Errorf("%s is a later page of %q (%v), want %q", address, first, ok, want)
		}
	}
}
