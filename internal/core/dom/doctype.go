package dom

import "strings"

// readDoctype takes in the content of a doctype (13.2.5.54 to 13.2.5.68, 13.2.6.4.1).
func (p *Parser) readDoctype(s string) {
	s = strings.TrimSuffix(s, ">")
	name, rest, _ := strings.Cut(strings.TrimLeft(s, whiteSpace), " ")
	if i := strings.IndexAny(name, whiteSpace); i >= 0 {
		name, rest = name[:i], name[i:]+" "+rest
	}
	p.tree.Doctype = true
	public, system, hasSystem, odd := identifiers(strings.TrimLeft(rest, whiteSpace))
	p.tree.Quirks = odd || strings.ToLower(name) != "html" ||
		quirks(strings.ToLower(public), strings.ToLower(system), hasSystem)
}

const whiteSpace = " \t\n\f\r"

// identifiers reads what follows a doctype's name; odd: it is not as it should be.
func identifiers(s string) (public, system string, hasSystem, odd bool) {
	if s == "" {
		return "", "", false, false
	}
	isPublic := len(s) >= 6 && strings.EqualFold(s[:6], "public")
	if !isPublic && !(len(s) >= 6 && strings.EqualFold(s[:6], "system")) {
		return "", "", false, true
	}
	ok := false
	if s = s[6:]; isPublic {
		if public, s, ok = quoted(s); !ok {
			return public, "", false, true
		}
		if strings.TrimLeft(s, whiteSpace) == "" {
			return public, "", false, false
		}
	}
	system, _, ok = quoted(s)
	return public, system, true, !ok
}

// quoted takes a string in quotation marks off the begin of s.
func quoted(s string) (text, rest string, ok bool) {
	s = strings.TrimLeft(s, whiteSpace)
	if s == "" || s[0] != '"' && s[0] != '\'' {
		return "", s, false
	}
	return strings.Cut(s[1:], s[:1])
}

// quirks tells whether a doctype makes browsers lay the page out as those of the nineties did
// (13.2.6.4.1).
func quirks(public, system string, hasSystem bool) bool {
	if system == "http://www.ibm.com/data/dtd/v11/ibmxhtml1-transitional.dtd" {
		return true
	}
	switch public {
	case "-//w3o//dtd w3 html strict 3.0//en//", "-/w3c/dtd html 4.0 transitional/en", "html":
		return true
	}
	for _, prefix := range quirkyPrefixes {
		if strings.HasPrefix(public, prefix) {
			return true
		}
	}
	return !hasSystem && (strings.HasPrefix(public, "-//w3c//dtd html 4.01 frameset//") ||
		strings.HasPrefix(public, "-//w3c//dtd html 4.01 transitional//"))
}

var quirkyPrefixes = []string{
	"+//silmaril//dtd html pro v0r11 19970101//", "-//as//dtd html 3.0 aswedit + extensions//",
	"-//advasoft ltd//dtd html 3.0 aswedit + extensions//",
	"-//ietf//dtd html 2.0 level 1//", "-//ietf//dtd html 2.0 level 2//", "-//ietf//dtd html 2.0 strict level 1//",
	"-//ietf//dtd html 2.0 strict level 2//",
	"-//ietf//dtd html 2.0 strict//", "-//ietf//dtd html 2.0//", "-//ietf//dtd html 2.1e//", "-//ietf//dtd html 3.0//",
	"-//ietf//dtd html 3.2 final//",
	"-//ietf//dtd html 3.2//", "-//ietf//dtd html 3//", "-//ietf//dtd html level 0//", "-//ietf//dtd html level 1//",
	"-//ietf//dtd html level 2//",
	"-//ietf//dtd html level 3//", "-//ietf//dtd html strict level 0//", "-//ietf//dtd html strict level 1//",
	"-//ietf//dtd html strict level 2//",
	"-//ietf//dtd html strict level 3//", "-//ietf//dtd html strict//", "-//ietf//dtd html//",
	"-//metrius//dtd metrius presentational//",
	"-//microsoft//dtd internet explorer 2.0 html strict//", "-//microsoft//dtd internet explorer 2.0 html//",
	"-//microsoft//dtd internet explorer 2.0 tables//",
	"-//microsoft//dtd internet explorer 3.0 html strict//", "-//microsoft//dtd internet explorer 3.0 html//",
	"-//microsoft//dtd internet explorer 3.0 tables//",
	"-//netscape comm. corp.//dtd html//", "-//netscape comm. corp.//dtd strict html//",
	"-//o'reilly and associates//dtd html 2.0//",
	"-//o'reilly and associates//dtd html extended 1.0//",
	"-//o'reilly and associates//dtd html extended relaxed 1.0//",
	"-//sq//dtd html 2.0 hotmetal + extensions//",
	"-//softquad software//dtd hotmetal pro 6.0::19990601::extensions to html 4.0//",
	"-//softquad//dtd hotmetal pro 4.0::19971010::extensions to html 4.0//", "-//spyglass//dtd html 2.0 extended//",
	"-//sun microsystems corp.//dtd hotjava html//",
	"-//sun microsystems corp.//dtd hotjava strict html//", "-//w3c//dtd html 3 1995-03-24//",
	"-//w3c//dtd html 3.2 draft//", "-//w3c//dtd html 3.2 final//",
	"-//w3c//dtd html 3.2//", "-//w3c//dtd html 3.2s draft//", "-//w3c//dtd html 4.0 frameset//",
	"-//w3c//dtd html 4.0 transitional//",
	"-//w3c//dtd html experimental 19960712//", "-//w3c//dtd html experimental 970421//", "-//w3c//dtd w3 html//",
	"-//w3o//dtd w3 html 3.0//",
	"-//webtechs//dtd mozilla html 2.0//", "-//webtechs//dtd mozilla html//",
}
