package text

import (
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/abadojack/whatlanggo"
)

func TestLanguage(t *testing.T) {
	const (
		english = "The ferns of the dell grow in the shade of the old oaks, and they are looked after by the gardeners who have been here for a long time."
		german  = "Die Farne wachsen im Schatten der alten Eichen, und die Gärtner pflegen sie seit vielen Jahren, weil sie wissen, was die Pflanzen brauchen."
		french  = "Les fougères poussent à l'ombre des vieux chênes, et les jardiniers qui les soignent depuis longtemps savent ce dont elles ont besoin pour vivre."
		welsh   = "Mae'r rhedyn yn tyfu yng nghysgod yr hen goed derw, ac mae'r garddwyr sydd wedi bod yma ers amser maith yn gofalu amdanynt bob dydd o'r flwyddyn."
		finnish = "Saniaiset kasvavat vanhojen tammien varjossa, ja puutarhurit, jotka ovat olleet täällä pitkään, huolehtivat niistä ja tietävät mitä ne tarvitsevat talvella ja kesällä."
		greek   = "Οι φτέρες μεγαλώνουν στη σκιά των παλιών βελανιδιών και οι κηπουροί που είναι εδώ πολύ καιρό τις φροντίζουν και ξέρουν τι χρειάζονται τον χειμώνα."
		names   = "Abies alba Abies nordmanniana Acer campestre Acer griseum Betula nigra Betula pendula Camellia sasanqua Cedrus libani Cornus mas Crocus sativus Fagus sylvatica"
	)
	for _, c := range []struct{ text, declared, want string }{
		{english, "en-GB", "en"}, {english, "de", "en"}, {german, "en", "de"}, {german, "", "de"}, {french, "en", "fr"},
		{welsh, "cy", "cy"},
		{greek, "en", "el"}, {finnish + " " + finnish + " " + finnish, "fi", "fi"},
		{strings.Repeat("impl PartialOrd<T> for fn(A, B, C, D) -> Ret where T: ?Sized; a == b, c < d, s, n, m, t le c, l, d ", 40), "en", ""},
		{strings.Repeat(english+" ", 20) + strings.Repeat(german+" ", 8) + strings.Repeat(english+" ", 20), "en", "en"},
		{strings.Repeat(german+" ", 30), "en", "de"},
		{names, "en", ""}, {"Fern", "en", ""}, {strings.Repeat("12345 67890 ", 40), "en", ""},
	} {
		if got := Language(c.text, c.declared); got != c.want {
			t.Errorf("%.40q, declared %q: %q, want %q", c.text, c.declared, got, c.want)
		}
	}
}

// TestDetect holds the index of trigrams to the library whose tables it is made of: on texts of many languages and
// mixtures of them the answer is the same, and as sure. Of languages that are equally near the library names any.
func TestDetect(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	var words []string
	for w := range commonIn {
		words = append(words, w)
	}
	for _, table := range []map[whatlanggo.Lang][]string{latinLangs, cyrillicLangs} {
		for _, trigrams := range table {
			words = append(words, strings.TrimSpace(trigrams[0]), trigrams[len(trigrams)-1]+trigrams[len(trigrams)/2])
		}
	}
	slices.Sort(words)
	known := slices.Sorted(maps.Keys(latinLangs))
	told := map[whatlanggo.Lang]int{}
	for range 500 {
		var b strings.Builder
		lang := latinLangs[known[r.IntN(len(known))]]
		for range 1 + r.IntN(120) {
			switch r.IntN(4) {
			case 0:
				b.WriteString(words[r.IntN(len(words))])
			case 1:
				b.WriteString(anyText(r))
			default: // in the manner of one language
				b.WriteString(lang[r.IntN(1+r.IntN(len(lang)))])
			}
			b.WriteString([]string{" ", "", ", ", "1"}[r.IntN(4)])
		}
		want, got := whatlanggo.Detect(b.String()), detect(b.String())
		if got.Script != want.Script || math.Abs(got.Confidence-want.Confidence) > 1e-12 ||
			got.Lang != want.Lang && want.Confidence > 0 {
			t.Fatalf("%q: %+v, the library says %+v", b.String(), got, want)
		}
		if got.IsReliable() {
			told[got.Lang]++
		}
	}
	if len(told) < 25 {
		t.Errorf("%d languages were told for sure", len(told))
	}
}

func BenchmarkLanguage(b *testing.B) {
	s := strings.Repeat("Abies alba nordmanniana Acer campestre griseum Betula nigra pendula, see Camellia sasanqua. ", 8)
	var ours, theirs time.Duration
	for b.Loop() {
		begun := time.Now()
		detect(s)
		ours += time.Since(begun)
		begun = time.Now()
		whatlanggo.Detect(s)
		theirs += time.Since(begun)
	}
	b.ReportMetric(theirs.Seconds()/ours.Seconds(), "ratio")
}

func TestSameLanguage(t *testing.T) {
	for _, c := range []struct {
		detected, declared string
		want               bool
	}{
		{"en", "en-GB", true}, {"en", "EN", true}, {"de", "en", false}, {"no", "nb-NO", true}, {"hr", "sr-Latn", true},
		{"", "en", true}, {"en", "", true},
		{"en", "cy", true}, {"de", "fr_FR", false}, {"ja", "zh", true},
	} {
		if got := SameLanguage(c.detected, c.declared); got != c.want {
			t.Errorf("%s and %s: %v", c.detected, c.declared, got)
		}
	}
}

func TestCut(t *testing.T) {
	for _, c := range []struct {
		text   string
		pixels int
		cut    bool
	}{
		{"Ferns", 100, false}, {"", 10, false}, {"Ferns of the shady dell", 120, true},
		{"Donaudampfschifffahrtsgesellschaft", 90, true}, {"羊歯の谷の庭園", 60, true},
	} {
		line, cut := Cut(c.text, 20, c.pixels)
		if cut != c.cut || cut && !strings.HasSuffix(line, " …") || Width(line, 20) > float64(c.pixels) || cut &&
			!strings.HasPrefix(c.text, strings.TrimSuffix(line, " …")) {
			t.Errorf("%q in %d px: %q, %v, %.0f px", c.text, c.pixels, line, cut, Width(line, 20))
		}
	}
	if line, _ := Cut("Ferns of the shady dell", 20, 120); line != "Ferns of …" {
		t.Errorf("%q is not cut at a word's end", line)
	}
}

func TestStem(t *testing.T) {
	for _, c := range []struct{ lang, a, b string }{{"en", "ferns", "fern"}, {"fr", "jardins", "jardin"},
		{"es", "plantas", "planta"}, {"cy", "rhedyn", "rhedyn"}} {
		if Stem(c.lang, c.a) != Stem(c.lang, c.b) {
			t.Errorf("%s: %s and %s differ", c.lang, c.a, c.b)
		}
	}
}

func TestEachWord(t *testing.T) {
	var got []string
	EachWord("The gardener's «Café», 2 oaks – d’Or; 羊歯 x", func(w string) { got = append(got, w) })
	if want := "The gardener's Café 2 oaks d’Or x"; strings.Join(got, " ") != want {
		t.Errorf("%q, want %q", got, want)
	}
}
