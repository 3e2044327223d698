package weburl

import "strings"

// PathQueryOf is the path with the query of an address as this package writes it, without reading it again; "" for one
// that has none, such as a mail address.
func PathQueryOf(address string) string {
	_, rest, ok := strings.Cut(address, "://")
	if !ok {
		return ""
	}
	if at := strings.IndexByte(rest, '/'); at >= 0 {
		return rest[at:]
	}
	return "/"
}

// FolderOf is the path up to its last slash, of an address as this package writes it; "/" for one that has no path.
func FolderOf(address string) string {
	path, _, _ := strings.Cut(PathQueryOf(address), "?")
	if path == "" {
		return "/"
	}
	return path[:strings.LastIndexByte(path, '/')+1]
}

// FolderAbove is the beginning of a folder with so many slashes, or all of it.
func FolderAbove(folder string, slashes int) string {
	for i := range len(folder) {
		if folder[i] == '/' {
			if slashes--; slashes == 0 {
				return folder[:i+1]
			}
		}
	}
	return folder
}
