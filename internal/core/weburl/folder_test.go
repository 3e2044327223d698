package weburl

import "testing"

func TestFolders(t *testing.T) {
	for address, want := range map[string][3]string{
		"https://fernhollow.example/plants/ferns/a.html?b=/c/": {"/plants/ferns/a.html?b=/c/", "/plants/ferns/", "/plants/"},
		"https://fernhollow.example/plants":                    {"/plants", "/", "/"},
		"https://fernhollow.example/?a=/b/":                    {"/?a=/b/", "/", "/"},
		"https://fernhollow.example//a/b":                      {"//a/b", "//a/", "//"},
		"https://fernhollow.example":                           {"/", "/", "/"},
		"mailto:ash@fernhollow.example":                        {"", "/", "/"},
		"":                                                     {"", "/", "/"},
	} {
		folder := FolderOf(address)
		if got := [3]string{PathQueryOf(address), folder, FolderAbove(folder, 2)}; got != want {
			t.Errorf("%q: %q, want %q", address, got, want)
		}
	}
	if got := FolderAbove("/a/b/", 9); got != "/a/b/" {
		t.Errorf("more slashes than there are: %q", got)
	}
}
