package figures

import (
	"fmt"
	"strings"
	"testing"
	"unicode/utf8"

	"harvik/internal/core/weburl"
)

func TestParseNumber(t *testing.T) {
	for _, c := range []struct {
		in      string
		want    float64
		percent bool
		ok      bool
	}{
		{"1,234", 1234, false, true}, {"1,234.5", 1234.5, false, true}, {"1.234,5", 1234.5, false, true},
		{"12,5", 12.5, false, true},
		{"1\u202f234", 1234, false, true}, {"12.5 %", 12.5, true, true}, {"€ 9.90", 9.9, false, true},
		{"(5)", -5, false, true},
		{"\u22123", -3, false, true}, {"1.234.567", 1234567, false, true}, {"0", 0, false, true},
		{"2e3", 2000, false, true},
		{"n/a", 0, false, false}, {"", 0, false, false}, {"-", 0, false, false}, {"12 visits", 0, false, false},
		{"1.234", 1.234, false, true}, {",5", 0.5, false, true}, {",500", 0.5, false, true}, {".5", 0.5, false, true},
		{"1,234,567", 1234567, false, true}, {"1,2345", 1.2345, false, true}, {".250,5", 250.5, false, true},
		{"-1,234", -1234, false, true}, {"12", 12, false, true},
	} {
		if n, p, ok := ParseNumber(c.in); n != c.want || p != c.percent || ok != c.ok {
			t.Errorf("ParseNumber(%q) = %v, %v, %v, want %v, %v, %v", c.in, n, p, ok, c.want, c.percent, c.ok)
		}
	}
}

func TestRead(t *testing.T) {
	home, _ := weburl.Parse("https://fernhollow.example/")
	for _, c := range []struct{ name, in, want string }{
		{"commas", "address,Visits,Bounce rate\n/visit/,\"1,204\",41%\nhttps://fernhollow.example/shop/?b=1,7,\n",
			"[{visits number 2} {bounce rate percent 1}] https://fernhollow.example/visit/ 1204 41 | https://fernhollow.example/shop/?b=1 7 - | []"},
		{"semicolons and a mark", "\xEF\xBB\xBFSeite;Umsatz\r\n/a;1.234,50\r\n/b;\r\n",
			"[{umsatz number 1}] https://fernhollow.example/a 1234.5 | https://fernhollow.example/b - | []"},
		{"addresses by their look", "Where\tOwner\n/a\tAnna\n",
			"[{owner text 1}] https://fernhollow.example/a Anna | []"},
		{"an address beyond the headings", "0\n,/\n", "no column holds addresses"},
		{"addresses by their look, behind a long line", "Where,Owner\n/a," + strings.Repeat("x", 9000) +
			"\n/b,Bo\n/c,Cy\n", "[{owner text 3}] https://fernhollow.example/a " + strings.Repeat("x", 2000) +
			" | https://fernhollow.example/b Bo | https://fernhollow.example/c Cy | []"},
		{"a bad line", "url,n\n,1\n/x,2\nmailto:x,3\n",
			"[{n number 1}] https://fernhollow.example/x 2 | [{2 \"\" is no address} {4 \"mailto:x\" is no address}]"},
		{"a word among numbers", "url,n\n/x,2\n/y,none\n",
			"[{n text 2}] https://fernhollow.example/x 2 | https://fernhollow.example/y none | []"},
		{"short lines", "n,url\n1,/x\n2\n",
			"[{n number 1}] https://fernhollow.example/x 1 | [{3 has 1 cells, and the address would be in number 2}]"},
		{"empty", "", "the file is empty"},
		{"no addresses", "a,b\n1,2\n", "no column holds addresses"},
		{"a line that ends before the figure", "url,n\n/x\n", "[{n text 0}] https://fernhollow.example/x - | []"},
		{"as many commas as semicolons", "url,a;b\n/x,1\n", "[{a;b number 1}] https://fernhollow.example/x 1 | []"},
		{"twice", "url,n,N\n/x,1,2\n", `column 3 has the heading "N", which is empty or taken`},
		{"only addresses", "url\n/x\n", "there are no figures"},
		{"a line without end", "url,n\n\"/x" + strings.Repeat("y\n", 1<<20), "is a quotation mark missing"},
		{"a heading that is a sentence", "url," + strings.Repeat("n", 101) + "\n/x,1\n", "at most 100 characters"},
		{"a heading that is nearly one", "url," + strings.Repeat("n", 100) + "\n/x,1\n",
			"[{" + strings.Repeat("n", 100) + " number 1}] https://fernhollow.example/x 1 | []"},
		{"a heading that begins with a control character", "url,\x07n\n/x,1\n", `column 2 has the heading "\an"`},
		{"headings beyond what is shown", strings.Repeat("a", 201) + ",b\n1,2\n", strings.Repeat("a", 200) + "…; name"},
		{"headings that can be shown", strings.Repeat("a", 197) + ",b\n1,2\n", "a, b; name the right"},
		{"a heading with a control character", "url,n\x1b[2J\n/x,1\n", "all of them readable"},
	} {
		table, err := Read(strings.NewReader(c.in), home)
		got := fmt.Sprint(err)
		if err == nil {
			var rows []Row
			if err := table.Each(func(r Row) error { rows = append(rows, r); return nil }); err != nil {
				t.Errorf("%s: %v", c.name, err)
			}
			got = fmt.Sprint(table.Columns)
			for _, r := range rows {
				got += " " + r.Address
				for _, v := range r.Values {
					switch {
					case !v.Known:
						got += " -"
					case v.Text != "":
						got += " " + v.Text
					default:
						got += fmt.Sprint(" ", v.Number)
					}
				}
				got += " |"
			}
			got += fmt.Sprint(" ", table.Faults)
		}
		if got != c.want && (err == nil || !strings.Contains(got, c.want)) {
			t.Errorf("%s:\n%s\nwant\n%s", c.name, got, c.want)
		}
	}
}

// TestFaults holds how much a file may have wrong, and how many figures there may be: what is beyond is counted,
// and said.
func TestFaults(t *testing.T) {
	home, _ := weburl.Parse("https://fernhollow.example/")
	table, err := Read(strings.NewReader("url,n\n"+strings.Repeat("mailto:x,1\n", MaxFaults+2)+"/x,1\n"), home)
	if err != nil {
		t.Fatal(err)
	}
	rows := 0
	if err := table.Each(func(Row) error { rows++; return nil }); err != nil {
		t.Fatal(err)
	}
	if len(table.Faults) != MaxFaults || table.More != 2 || rows != 1 {
		t.Errorf("%d faults and %d more, %d rows", len(table.Faults), table.More, rows)
	}
	heads := func(n int) string {
		out := "url"
		for i := range n {
			out += fmt.Sprintf(",n%d", i)
		}
		return out + "\n/x,1\n"
	}
	if table, err = Read(strings.NewReader(heads(MaxColumns)), home); err != nil || len(table.Columns) != MaxColumns {
		t.Errorf("as many figures as there may be: %v", err)
	}
	want := fmt.Sprintf("there are %d figures, and at most %d", MaxColumns+1, MaxColumns)
	if _, err = Read(strings.NewReader(heads(MaxColumns+1)), home); err == nil || !strings.Contains(err.Error(), want) {
		t.Errorf("one too many: %v, want %s", err, want)
	}
	address := "/" + strings.Repeat("a", maxAddress-1)
	if table, err = Read(strings.NewReader("url,n\n"+address+",1\n"+address+"a,1\n"), home); err != nil {
		t.Fatal(err)
	}
	rows = 0
	if err := table.Each(func(Row) error { rows++; return nil }); err != nil || rows != 1 || len(table.Faults) != 1 {
		t.Errorf("the longest address that is taken and one that is longer: %d rows, %v, %v", rows, err, table.Faults)
	}
}

func FuzzRead(f *testing.F) {
	f.Add("address,visits\n/visit/,\"1,204\"\n")
	f.Add("\xEF\xBB\xBFurl;n\r\n/a;1.2")
	home, _ := weburl.Parse("https://fernhollow.example/")
	f.Fuzz(func(t *testing.T, in string) {
		table, err := Read(strings.NewReader(in), home)
		if err != nil {
			return
		}
		if err := table.Each(func(r Row) error {
			if len(r.Values) != len(table.Columns) {
				t.Fatalf("line %d has %d values for %d columns", r.Line, len(r.Values), len(table.Columns))
			}
			for i, v := range r.Values {
				if table.Columns[i].Kind != Text && v.Text != "" || !utf8.ValidString(v.Text) ||
					!utf8.ValidString(r.Address) {
					t.Fatalf("line %d: %+v in a column of kind %s", r.Line, v, table.Columns[i].Kind)
				}
			}
			return nil
		}); err != nil {
			t.Fatalf("the second reading fails: %v", err)
		}
	})
}
