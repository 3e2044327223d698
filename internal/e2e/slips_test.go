package e2e

import (
	"strings"
	"testing"

	"harvik/internal/testkit"
)

// slips are command lines as people get them wrong, with what has to come back: what is wrong, and what to do
// instead.
const slips = `
# sites
fixes fernholow                                       | did you mean "fernhollow"?
fixes FERNHOLLOW                                      | did you mean "fernhollow"?
fixes https://fernhollow.example/                     | sites go by their names, not by their addresses: did you mean "fernhollow"?
crawl https://fernhollow.example/plants/              | did you mean "fernhollow"?
crawl https://elsewhere.example/                      | harvik site add NAME https://elsewhere.example/
crawl elsewhere.example                               | harvik site add NAME elsewhere.example
plan show fernhollow@1                                | did you mean "fernhollow"?
plan preview https://fernhollow.example/              | did you mean "fernhollow"?
trend fernholow                                       | did you mean "fernhollow"?
waivers fernholow                                     | did you mean "fernhollow"?
secret list fernholow                                 | did you mean "fernhollow"?
site remove fernholow                                 | did you mean "fernhollow"?
site add                                              | NAME is missing
site add x                                            | ADDRESS is missing
site add x ftp://fernhollow.example/                  | starts with http:// or https://
site add Fernhollow https://fernhollow.example/       | small letters
site add fernhollow https://fernhollow.example/       | exists already
site add https://fernhollow.example/ fernhollow       | the name comes first: harvik site add fernhollow https://fernhollow.example/
site add y https://fernhollow.example --profile doc   | harvik plan profiles
site add y https://fernhollow.example --profile publisherr | did you mean "publisher"?
site add latest                                       | ADDRESS is missing
site allow fernhollow 0.0.0.0/0                       | wider than any private network
site allow fernhollow localhost                       | write one such as 127.0.0.0/8
site allow fernhollow 11.0.0.1                        | is public, so it needs no allowance
site disallow fernhollow 10.0.0.0/8                   | does not exist
sites list                                            | site
# crawls
crawl                                                 | SITE is missing
crawl fernhollow --pages 0                            | --pages is at least 1
crawl fernhollow --pages -3                           | --pages is at least 1
crawl fernhollow --pages ten                          | --pages: "ten" is not a whole number
crawl fernhollow --pages 1e4                          | --pages: "1e4" is not a whole number
crawl fernhollow extra                                | "extra" is one word too many
crawl fernhollow --page 5                             | did you mean --pages?
crawl fernhollow@1                                    | did you mean "fernhollow"?
crawls fernhollow                                     | crawl
crawl stop                                            | SITE is missing
crawl stop fernhollow                                 | no crawl of fernhollow is running
crawl stop fernhollow@1                               | crawl 1 is not running
crawl pause fernhollow@1                              | crawl 1 is not running
crawl resume fernhollow                               | no crawl of fernhollow is paused
crawl resume fernhollow@1                             | crawl 1 is finished, not paused
crawl continue fernhollow@1                           | say how far with --pages
crawl continue fernhollow@1 --pages 2000              | not by its number of pages
crawl pace fernhollow --parallel 2                    | no crawl of fernhollow is running
crawl pace fernhollow                                 | no crawl of fernhollow is running
crawl left fernhollow --state gone                    | there are waiting, fetched
crawl left fernhollow --state block                   | did you mean "blocked"?
crawl left fernhollow@99                              | crawl 99 of the site fernhollow does not exist
crawl left fernhollow@99999999999                     | names no crawl
judge fernhollow@9                                    | crawl 9 of the site fernhollow does not exist
health fernhollow@0                                   | write SITE or SITE@NUMBER
health fernhollow@latest                              | write SITE or SITE@NUMBER
# plans
plan set fernhollow                                   | nothing to set
plan set fernhollow --pages 0                         | leave it out for the default, 1000
plan set fernhollow --pages 100k                      | --pages: "100k" is not a whole number
plan set fernhollow pages=0                           | leave it out for the default, 1000
plan set fernhollow pages=lots                        | a whole number is wanted
plan set fernhollow pages 100                         | write pages=100
plan set fernhollow page=100                          | did you mean "pages"?
plan set fernhollow exclude=/cart                     | did you mean "scope.exclude"?
plan set fernhollow --exclude /cart                   | scope.exclude=VALUE
plan set fernhollow scope.exclude=/cart*              | write [/cart*]
plan set fernhollow scope.exclude=[cart]              | a pattern begins with a slash
plan set fernhollow scope.exclude=['re:(']            | not a regular expression
plan set fernhollow parallel=0                        | leave it out for the default, 4
plan set fernhollow parallel=1000                     | is outside 1 to 64
plan set fernhollow retries=0                         | write -1 for none
plan set fernhollow timeout=20                        | write a number and a unit
plan set fernhollow timeout=0s                        | leave it out for the default, 20s
plan set fernhollow --pause 300                       | write a number and a unit
plan set fernhollow robots=ignore                     | none of obey, report, disregard
plan set fernhollow robots=disregard                  | needs a permission
plan set fernhollow hosts={fernhollow.example:localhost} | neither an IP address nor address:port
plan set fernhollow -f nosuch.yaml                    | nosuch.yaml
plan profiles nosuch                                  | there is no profile
plan preview                                          | SITE is missing
plan preview fernhollow --pages 5                     | there is no option --pages
# lists
fixes fernhollow@9                                    | crawl 9 of the site fernhollow does not exist
fixes fernhollow --order gains                        | did you mean "gain"?
fixes fernhollow --severity errors                    | error, warning or notice
fixes fernhollow --group title                        | there are reach, indexing, snippet
fixes fernhollow --group heading                      | did you mean "headings"?
fixes fernhollow --check title                        | there are title-
fixes fernhollow --check title-mising                 | did you mean "title-missing"?
fixes fernhollow --section plants                     | begins and ends with a slash, such as /plants/
fixes fernhollow --state done                         | open, taken, claimed, confirmed, returned or waived
fixes fernhollow --limit 0                            | limit is a number from 1 to 10000
fixes fernhollow --limits 5                           | did you mean --limit?
fix fernhollow                                        | ID is missing
fix fernhollow 1                                      | a fix goes by its ID: line 1 is
fix fernhollow title-missing                          | harvik fixes fernhollow --check title-missing
fix fernhollow nosuch                                 | harvik fixes fernhollow@1
pages fernhollow --sort tittle                        | did you mean "title"?
pages fernhollow --status 40x                         | a class such as 4xx
pages fernhollow --status 99999999999                 | a class such as 4xx
pages fernhollow --check nosuch                       | there is no check "nosuch"
pages fernhollow --section plants                     | begins and ends with a slash
pages fernhollow --sorted title                       | did you mean --sort?
resources fernhollow --role pictures                  | there are page, image, stylesheet
page fernhollow                                       | ADDRESS is missing
page fernhollow /nosuch/                              | harvik pages fernhollow --search
page fernhollow https://elsewhere.example/            | does not know the address
compare fernhollow /a                                 | B is missing
compare fernhollow / /nosuch/                         | /nosuch/
layouts fernhollow@x                                  | names no crawl
map fernhollow@7                                      | does not exist
check show nosuch                                     | harvik check list
check show title-mising                               | did you mean "title-missing"?
checks                                                | check
look                                                  | is missing
look fernhollow.example                               | write https://fernhollow.example
look nosuch-file                                      | nor a file that can be read
# work
take fernhollow                                       | which fixes?
take fernhollow nosuch                                | there is no such fix on this site
take fernhollow --check nosuch                        | there is no check "nosuch"
take fernhollow nosuch --due tomorrow                 | write it as year-month-day
take                                                  | SITE is missing
claim fernhollow nosuch --notes x                     | did you mean --note?
waive fernhollow                                      | what is to be waived?
waive fernhollow --check copy-thin                    | needs a --reason
waive fernhollow --check copy-thinn --reason x        | there is no check "copy-thinn"
waive fernhollow --check copy-thin --section plants --reason x | begins and ends with a slash
waive fernhollow --pattern re:/plants/(a|b --reason x | not a regular expression
waive fernhollow --pattern plants --reason x          | would match nothing
waive fernhollow --check copy-thin --reason x --until 31.12.2027 | write it as year-month-day
waive fernhollow --check copy-thin --reason x --until 2020-01-01 | is over already
unwaive fernhollow                                    | WAIVER is missing
unwaive fernhollow 99                                 | harvik waivers fernhollow
unwaive fernhollow abc                                | is no number of a waiver
undo fernhollow                                       | NUMBER is missing
undo fernhollow 999                                   | nothing was done under the number 999
recheck fernhollow                                    | which fixes?
recheck fernhollow nosuch                             | harvik fixes fernhollow
crawl remove fernhollow                               | as fernhollow@N
crawl remove fernhollow@7                             | crawl 7 of the site fernhollow does not exist
drift fernhollow                                      | no earlier crawl to compare with
gate fernhollow                                       | --min-health, --no-new or --max
gate fernhollow --min-health 101                      | from 0 to 100
gate fernhollow --min-health high                     | --min-health: "high" is not a number
gate fernhollow --no-new errors                       | error, warning or notice
gate fernhollow --max title-missing                   | such as link-broken-inside=0
gate fernhollow --max nosuch=1                        | harvik check list
report fernhollow --as docx                           | there are html, pdf
report fernhollow --as pdf --paper a5                 | did you mean "a4"?
report fernhollow --against 9                         | is not earlier
report fernhollow -f /nowhere.yaml                    | /nowhere.yaml
export fernhollow                                     | --as xlsx, csv, jsonl, parquet or sarif
export fernhollow --as excel                          | there are xlsx, csv, jsonl, parquet, sarif
export fernhollow --as csv --sheets page -o -         | did you mean "pages"?
export fernhollow --as csv --sheets pages --columns adress -o - | did you mean "address"?
metrics import fernhollow                             | FILE is missing
metrics import fernhollow nosuch.csv                  | nosuch.csv
# the service
secret set fernhollow                                 | NAME is missing
secret remove fernhollow nosuch                       | does not exist
secret uses fernhollow                                | NAME is missing
token add                                             | NAME is missing
token add Owner                                       | a token's name has
token add owner                                       | is not "owner"
token revoke owner                                    | harvik token list
token revoke 999999                                   | harvik token list
token remove x                                        | did you mean "revoke"?
link extra                                            | one word too many
start --allow 127.0.0.0/8                             | harvik site allow SITE 127.0.0.0/8
start --listen 8420                                   | such as 127.0.0.1:8420
start --database postgres://a:b@localhost/x           | HARVIK_DATABASE
start --keep-free lots                                | such as 500MB or 2GB
start --connections 1                                 | from 4 to 1000
start --name http://a/b                               | such as harvik.example
start                                                 | another service uses the data folder
helth fernhollow                                      | health
--server 127.0.0.1:8420 site list                     | such as http://127.0.0.1:8420
--server http://127.0.0.1:1 site list                 | set HARVIK_TOKEN
`

// TestSlips reads what comes back of command lines that people get wrong.
func TestSlips(t *testing.T) {
	t.Parallel()
	s := newShell(t)
	s.start()
	garden := testkit.Serve(t, &testkit.Generated{Pages: 40, Seed: 6})
	s.ok("site add fernhollow http://fernhollow.example/ --allow 127.0.0.0/8")
	s.ok("plan set fernhollow --host fernhollow.example=" + garden + " probes=false")
	s.ok("crawl fernhollow")
	n := 0
	for line := range strings.Lines(slips) {
		command, want, ok := strings.Cut(strings.TrimSpace(line), " | ")
		if !ok {
			continue
		}
		n++
		out, talk, code := s.run(strings.Fields(command)...)
		switch {
		case code == 0:
			t.Errorf("harvik %s is taken as right: %s%s", command, out, talk)
		case !strings.Contains(talk+out, strings.TrimSpace(want)):
			t.Errorf("harvik %s\n  says %q\n  not  %q", command, talk, strings.TrimSpace(want))
		case strings.Contains(talk, "strconv") || strings.Contains(talk, "SQLSTATE") ||
			strings.Contains(talk, "its log says why"):
			t.Errorf("harvik %s answers as to a programmer: %q", command, talk)
		}
	}
	if n < 140 {
		t.Errorf("%d slips", n)
	}
}
