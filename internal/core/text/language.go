package text

import (
	"math/bits"
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
// text's middle decides, since texts begin and end with names and formulas; one that is not in the
// declared language needs others of the same text to agree.
func Language(s, declared string) string {
	if len(s) < leastForLanguage {
		return ""
	}
	declared, _, _ = strings.Cut(strings.ToLower(declared), "-")
	found := languageOf(sample(s, 3), declared)
	if found == "" || found == declared || len(s) < 3*sampleForLanguage {
		return found
	}
	agreed := 0
	for _, sixth := range []int{1, 5} {
		switch languageOf(sample(s, sixth), declared) {
		case found:
			agreed++
		case declared:
			return declared
		case "":
		default:
			return ""
		}
	}
	if agreed == 0 {
		return ""
	}
	return found
}

// sample is a stretch of a text around a sixth of its length.
func sample(s string, sixth int) string {
	if len(s) <= sampleForLanguage {
		return s
	}
	from := min(max(0, len(s)*sixth/6-sampleForLanguage/2), len(s)-sampleForLanguage)
	for !utf8.RuneStart(s[from]) {
		from++
	}
	return strings.ToValidUTF8(s[from:min(len(s), from+sampleForLanguage-4)], "")
}

// languageOf is a sample's language. Where the commonest words of the declared language make up
// much of it, it is that one; only otherwise are trigrams counted, which costs more.
func languageOf(s, declared string) string {
	if spoken := speaks(s, declared); spoken != "" {
		return spoken
	}
	info := detect(s)
	found := info.Lang.Iso6391()
	if !info.IsReliable() || knowsCommon(found) && !shares(s, found, 10) || !knowsCommon(found) &&
		knowsCommon(declared) && info.Script == unicode.Latin && len(s) < sampleForLanguage/2 {
		return "" // names and lists of names look like any language
	}
	return found
}

func knowsCommon(code string) bool { return slices.Contains(WithCommonWords, code) }

// speaks is the language that at least a fifth of a text's words are the commonest of, the declared
// one before others; "" if there is none, or two come close.
func speaks(s, declared string) string {
	var counts [32]int
	words := 0
	for w := range strings.FieldsSeq(s) {
		words++
		w = bare(w)
		if isSymbol(w) {
			continue
		}
		for mask := commonIn[w]; mask != 0; mask &= mask - 1 {
			counts[bits.TrailingZeros32(mask)]++
		}
	}
	best, second := -1, 0
	for i, code := range WithCommonWords {
		if counts[i]*5 < words || words < 15 {
			continue
		}
		switch {
		case code == declared:
			return code
		case best < 0 || counts[i] > counts[best]:
			best, second = i, max(second, countOf(counts[:], best))
		default:
			second = max(second, counts[i])
		}
	}
	if best < 0 || second*4 > counts[best]*3 {
		return ""
	}
	return WithCommonWords[best]
}

func countOf(counts []int, i int) int {
	if i < 0 {
		return 0
	}
	return counts[i]
}

// bare is a word in small letters, without the marks around it.
func bare(w string) string {
	if !starts[w[0]] || !starts[w[len(w)-1]] { // most begin and end with a letter
		w = strings.Trim(w, punctuationMarks)
	}
	return strings.ToLower(w)
}

const punctuationMarks = `.,;:!?()"“”'’`

// commonIn tells of which languages a word is one of the commonest, as bits by their place in
// WithCommonWords.
var commonIn = func() map[string]uint32 {
	m := map[string]uint32{}
	for i, code := range WithCommonWords {
		for _, w := range strings.Fields(frequent) {
			if IsCommon(code, w) {
				m[w] |= 1 << i
			}
		}
		for w := range common[code] {
			m[w] |= 1 << i
		}
	}
	return m
}()

// frequent are words among which the stemming library knows the commonest of its languages; it
// cannot list them.
const frequent = `the of and to a in that is was it for on with as be by at this have from or had not but what all were when we there
	can an your which their said if will each about how up out them then she many some so these would other into has more two him see could no than been who
	its now did down may over after also where most only any our because does through during before between under again once here both few own same too
	very i me my you he his her they
	de la le et les des en un une du que qui dans pour pas au sur ne se ce il sont plus par avec son ses est mais ou leur nous vous elle ont été
	cette aux à l d c s j n m t y
	el los las del una con por para como más su al lo se es no si sobre ya o este ha me cuando sin muy hay donde entre todo esta ser son también fue era
	и в не на я что он с по это она как но они мы из у за от так о к его все был бы для же вы то быть ее да были при или до если когда уже
	och att det som en på är av för med den till inte han ett om sig från vid har kan efter men man ut sin eller hade vara när
	og i det er på en til som av for at med de var den har ikke et jeg fra han om men blir så ved kan hun eller skal ble
	az és hogy nem is egy meg de ez azt volt csak már van el mint ha vagy még ki ezt lehet kell között`

// isSymbol tells whether a word is a single consonant: what an elision leaves over, but far more
// often a name in a formula or in code.
func isSymbol(w string) bool { return len(w) == 1 && strings.Contains("bcdfghjklmnpqrstvx", w) }

// shares tells whether at least so many percent of a text's words are among a language's commonest.
func shares(s, code string, percent int) bool {
	words, common := 0, 0
	for w := range strings.FieldsSeq(s) {
		words++
		if w = bare(w); !isSymbol(w) && IsCommon(code, w) {
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
var kin = [...]string{"no nb nn da sv", "hr sr bs sl me", "cs sk", "id ms jv", "pt gl es ca oc", "ru uk be bg mk",
	"hi mr ne", "af nl", "zh ja", "az tr tk uz", "et fi", "fa ur ar", "yi he", "en sco"}

// SureWords is how many words a text needs for its language to be sure: names, codes and formulas make up
// shorter ones.
const SureWords = 60

// IsSure tells a language that is told by its commonest words or its script, not by likeness alone, which
// takes names, codes and broken letters for rare languages.
func IsSure(code string) bool {
	switch code {
	case "ja", "ko", "zh", "ru", "uk", "bg", "el", "he", "ar", "th", "hi", "ka", "hy":
		return true
	}
	return knowsCommon(code)
}

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
