package text

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/abadojack/whatlanggo"
	"github.com/kljensen/snowball/english"
	"github.com/kljensen/snowball/french"
	"github.com/kljensen/snowball/hungarian"
	"github.com/kljensen/snowball/norwegian"
	"github.com/kljensen/snowball/russian"
	"github.com/kljensen/snowball/spanish"
	"github.com/kljensen/snowball/swedish"
	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
)

const (
	leastForLanguage  = 120 // bytes; shorter texts are not judged
	sampleForLanguage = 700
)

// Language is that of a text as a code of ISO 639-1, "" where it is not sure. A sample from the
// text's middle decides, since texts begin and end with names and formulas. Where the commonest
// words of the declared language make up much of the sample, it is that one; only otherwise are
// letters counted, which costs as much as parsing the page.
func Language(s, declared string) string {
	if len(s) < leastForLanguage {
		return ""
	}
	if len(s) > sampleForLanguage {
		from := (len(s) - sampleForLanguage) / 2
		for !utf8.RuneStart(s[from]) {
			from++
		}
		s = strings.ToValidUTF8(s[from:from+sampleForLanguage-4], "")
	}
	code, _, _ := strings.Cut(strings.ToLower(declared), "-")
	if speaks(s, code) {
		return code
	}
	info := whatlanggo.Detect(s)
	found := info.Lang.Iso6391()
	if !info.IsReliable() || knowsCommon(found) && !shares(s, found, 10) || !knowsCommon(found) && knowsCommon(code) && info.Script == unicode.Latin && len(s) < sampleForLanguage/2 {
		return "" // names and lists of names look like any language
	}
	return found
}

func knowsCommon(code string) bool { return slices.Contains(WithCommonWords, code) }

// speaks tells whether a text is in a language by the share of its commonest words.
func speaks(s, code string) bool { return shares(s, code, 20) }

// shares tells whether at least so many percent of a text's words are among a language's commonest.
func shares(s, code string, percent int) bool {
	words, common := 0, 0
	for w := range strings.FieldsSeq(s) {
		words++
		if IsCommon(code, strings.ToLower(strings.Trim(w, `.,;:!?()"“”'’`))) {
			common++
		}
	}
	return common*100 >= percent*words && words >= 15
}

// IsCommon tells whether a word, in lower case, is one of those that a language's texts are held
// together by and that say nothing about their subject.
func IsCommon(code, word string) bool {
	switch code {
	case "en":
		return english.IsStopWord(word)
	case "fr":
		return french.IsStopWord(word)
	case "es":
		return spanish.IsStopWord(word)
	case "ru":
		return russian.IsStopWord(word)
	case "sv":
		return swedish.IsStopWord(word)
	case "no", "nb":
		return norwegian.IsStopWord(word)
	case "hu":
		return hungarian.IsStopWord(word)
	}
	return common[code][word]
}

// common are the commonest words of languages for which the stemming library has none.
var common = func() map[string]map[string]bool {
	m := map[string]map[string]bool{}
	for code, words := range map[string]string{
		"de": `der die das und ist nicht ein eine einen einem einer eines zu mit den dem des auf für von im in an als auch sich es ich sie er wir ihr
			aus bei nach wird werden wurde war sind sein hat haben hatte wie oder aber nur noch mehr zum zur über unter vor durch wenn dass man kann können
			um so am alle jede jeder jedes diese dieser dieses sehr hier dort ihre ihren seine seinen unsere unseren bis ohne gegen seit dann`,
		"cy": `y yr a ac ar yn i o mae am gan ei eu ein eich sydd oedd bod fod wedi nid na ond neu fel hyn hwn hon rhai pob bydd gyda trwy dros dan
			at er mor iawn hefyd chi ni nhw fe hi ef fy dy eich rydym ydych ydyw yw un dau mwy`,
		"it": `il lo la i gli le un una uno e è di a da in con su per tra fra che non si come più del della dei delle dal dalla nel nella al alla sono
			anche o ma se ci questo questa essere ha hanno`,
		"nl": `de het een en van is in op te dat die niet met voor zijn aan er als ook maar bij of door wordt naar om uit dan nog meer was heeft hebben
			deze dit over kan zo worden`,
		"pt": `o a os as um uma e é de do da dos das em no na nos nas por para com que não se como mais ao à ou mas foi são ser tem sua seu também`,
		"pl": `i w na z do nie się jest to że o jak po od za ale przez dla są oraz lub ten ta te który która które tak może być jego jej`,
	} {
		m[code] = map[string]bool{}
		for w := range strings.FieldsSeq(words) {
			m[code][w] = true
		}
	}
	return m
}()

// Stem is what a word's forms have in common, in a language for which there is a stemmer; else the
// word. It is to be in lower case.
func Stem(code, word string) string {
	switch code {
	case "en":
		return english.Stem(word, false)
	case "fr":
		return french.Stem(word, false)
	case "es":
		return spanish.Stem(word, false)
	case "ru":
		return russian.Stem(word, false)
	case "sv":
		return swedish.Stem(word, false)
	case "no", "nb":
		return norwegian.Stem(word, false)
	case "hu":
		return hungarian.Stem(word, false)
	}
	return word
}

// kin are languages so near to one another that a sample does not tell them apart.
var kin = [...]string{"no nb nn da sv", "hr sr bs sl me", "cs sk", "id ms jv", "pt gl es ca oc", "ru uk be bg mk", "hi mr ne", "af nl", "zh ja", "az tr tk uz", "et fi", "fa ur ar", "yi he", "en sco"}

// SameLanguage tells whether a language that was detected may be the one that is declared, given as
// a tag of BCP 47. Near relations pass, and so do languages that the detection does not know.
func SameLanguage(detected, declared string) bool {
	declared, _, _ = strings.Cut(strings.ToLower(declared), "-")
	declared, _, _ = strings.Cut(declared, "_")
	if detected == "" || declared == "" || detected == declared || !knownLanguage[declared] {
		return true
	}
	for _, group := range kin {
		words := strings.Fields(group)
		found := 0
		for _, w := range words {
			if w == detected || w == declared {
				found++
			}
		}
		if found == 2 {
			return true
		}
	}
	return false
}

var knownLanguage = func() map[string]bool {
	m := map[string]bool{}
	for lang := range whatlanggo.Langs {
		m[lang.Iso6391()] = true
	}
	return m
}()

// WithCommonWords are the languages whose commonest words are known.
var WithCommonWords = []string{"en", "de", "fr", "es", "it", "nl", "pt", "cy", "pl", "ru", "sv", "no", "hu"}

// LanguageName is the English name of a language by its code of ISO 639-1, or the code.
func LanguageName(code string) string {
	tag, err := language.Parse(code)
	if err != nil {
		return code
	}
	if name := display.English.Languages().Name(tag); name != "" {
		return name
	}
	return code
}
