package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"harvik/internal/api"
	"harvik/internal/testkit"
)

// Passwords of those who are attacked.
const (
	ashKnows = "the moss on ash's wall"
	lastTry  = "bracken under the birches"
)

// attacked is a service with people, and what an attacker of it has.
type attacked struct {
	*harvik
	t    *testing.T
	ash  *harvik // a consultant of heath
	ruth *harvik // a reader
}

func (a *attacked) signIn(body string) answered {
	return a.asBrowser(a.t, "POST", "/session", body, "", "")
}

func (a *attacked) byPassword(name, password string) answered {
	body, _ := json.Marshal(api.SignIn{Name: name, Password: password})
	return a.signIn(string(body))
}

// invited is the secret of a fresh invitation of somebody.
func (a *attacked) invited(name string) string {
	a.t.Helper()
	made, err := a.InvitePerson(a.t.Context(), personNamed(a.t, a.harvik, name))
	if err != nil {
		a.t.Fatal(err)
	}
	_, secret, _ := strings.Cut(made.Link, "#")
	return secret
}

func (a *attacked) welcome(secret, password string) answered {
	return a.asBrowser(a.t, "POST", "/welcome", fmt.Sprintf(`{"link":%q,"password":%q}`, secret, password), "", "")
}

// raw sends a request with headers of the attacker's choice.
func (a *attacked) raw(method, path, body string, headers map[string]string) answered {
	a.t.Helper()
	req, _ := http.NewRequestWithContext(a.t.Context(), method, a.url+"/api/v1"+path, strings.NewReader(body))
	for name, value := range headers {
		if name == "Host" {
			req.Host = value
		} else {
			req.Header.Set(name, value)
		}
	}
	return answerTo(a.t, req)
}

func key(t *testing.T, body string) string {
	t.Helper()
	m := regexp.MustCompile(`"key":"([^"]+)"`).FindStringSubmatch(body)
	if m == nil {
		t.Fatalf("no key in %s", body)
	}
	return m[1]
}

// TestSigning attacks the ways in, each attack by its name. Every one is refused, and says nothing that helps the next.
func TestSigning(t *testing.T) {
	t.Parallel()
	h := startOn(t, testkit.Tables(t))
	pages := http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "<title>Heather</title>") })
	for _, name := range []string{"heath", foreignSite} {
		h.addSite(t, name, "http://"+testkit.Serve(t, pages)+"/", h.plan)
	}
	ash := h.joins(t, api.NewPerson{Name: "ash", Role: "consultant", Sites: []string{"heath"}, Mail: "ash@fernhollow.example"})
	ruth := h.joins(t, api.NewPerson{Name: "ruth", Role: "reader", Sites: []string{"heath"}})
	a := &attacked{h, t, ash, ruth}
	refused := func(got answered) string {
		if got.status == 401 && !strings.Contains(got.body, `"key"`) && got.cookie == "" {
			return ""
		}
		return fmt.Sprintf("%d %.200s", got.status, got.body)
	}
	is := func(got answered, status int, says string) string {
		if got.status == status && strings.Contains(got.body, says) {
			return ""
		}
		return fmt.Sprintf("%d %.200s", got.status, got.body)
	}
	both := func(body, cookie, key string) answered {
		return a.asBrowser(t, "POST", "/credentials", body, cookie, key)
	}
	attacks := []struct {
		name string
		try  func() string // "" where it was fended off
	}{
		{"a wrong password", func() string { return refused(a.byPassword("ash", "the moss on ash's walls")) }},
		{"no password", func() string { return refused(a.byPassword("ash", "")) }},
		{"no name", func() string { return refused(a.byPassword("", ashKnows)) }},
		{"an owner who has no password", func() string { return refused(a.byPassword(ownerName, "")) }},
		{"the hash for the password", func() string {
			l, err := h.store.LoginOf(t.Context(), "ash")
			if err != nil || !strings.HasPrefix(l.Password, "$argon2id$") {
				return fmt.Sprint("the password is kept as ", l.Password)
			}
			return refused(a.byPassword("ash", l.Password))
		}},
		{"a password with a space after it", func() string { return refused(a.byPassword("ash", ashKnows+" ")) }},
		{"a password with a NUL in it", func() string { return is(a.byPassword("ash", ashKnows+"\x00"), 422, "NUL") }},
		{"a password of a megabyte", func() string {
			return is(a.byPassword("ash", strings.Repeat("x", 1<<20)), 413, "at most")
		}},
		{"a name with SQL in it", func() string { return refused(a.byPassword("ash' or '1'='1", ashKnows)) }},
		{"a name of 100,000 letters", func() string { return is(a.byPassword(strings.Repeat("x", 100_000), ashKnows), 422, "at most") }},
		{"a password as a list", func() string { return is(a.signIn(`{"name":"ash","password":["a"]}`), 422, "JSON") }},
		{"a role beside the password", func() string {
			return is(a.signIn(`{"name":"ash","password":"x","role":"owner"}`), 422, "unknown field")
		}},
		{"the same answer for a name that nobody has", func() string {
			if a, b := a.byPassword("ash", "not it, not it at all"), a.byPassword("nobody", "not it, not it at all"); a != b {
				return fmt.Sprintf("%+v is not %+v", a, b)
			}
			return ""
		}},
		{"the same answer for a name in another case", func() string {
			if a, b := a.byPassword("ASH", "not it, not it at all"), a.byPassword("nobody", "not it, not it at all"); a != b {
				return fmt.Sprintf("%+v is not %+v", a, b)
			}
			return ""
		}},
		{"a guessed link", func() string { return refused(a.signIn(`{"link":"` + strings.Repeat("A", 43) + `"}`)) }},
		{"an invitation as a sign-in link", func() string { return refused(a.signIn(`{"link":"` + a.invited("ruth") + `"}`)) }},
		{"an invitation as a token", func() string {
			return is(a.raw("GET", "/sites", "", map[string]string{"Authorization": "Bearer " + a.invited("ruth")}), 401, "sign in")
		}},
		{"a sign-in link as an invitation", func() string {
			link, _ := h.store.IssueLink(t.Context())
			return refused(a.welcome(link, lastTry))
		}},
		{"an invitation twice", func() string {
			secret := a.invited("ruth")
			if got := a.welcome(secret, lastTry); got.status != 200 {
				return got.body
			}
			return refused(a.welcome(secret, lastTry))
		}},
		{"an invitation by many at once", func() string {
			secret := a.invited("ruth")
			var group sync.WaitGroup
			got := make([]answered, 6)
			for i := range got {
				group.Go(func() { got[i] = a.welcome(secret, lastTry) })
			}
			group.Wait()
			let := 0
			for _, one := range got {
				if one.status == 200 {
					let++
				}
			}
			if let != 1 {
				return fmt.Sprintf("%d were let in", let)
			}
			return ""
		}},
		{"an invitation that a newer one ended", func() string {
			old := a.invited("ruth")
			a.invited("ruth")
			return refused(a.welcome(old, lastTry))
		}},
		{"an invitation that has run out", func() string {
			secret := a.invited("ruth")
			h.sql(t, "update credential set expires = now() - interval '1 second' where kind = 'invite'")
			return refused(a.welcome(secret, lastTry))
		}},
		{"an invitation with a weak password is not used up", func() string {
			secret := a.invited("ruth")
			if got := a.welcome(secret, "password12345678"); got.status != 422 {
				return got.body
			}
			return is(a.welcome(secret, lastTry), 200, `"key"`)
		}},
		{"sessions from before a new password", func() string {
			got := a.byPassword("ruth", lastTry)
			k := key(t, got.body)
			a.welcome(a.invited("ruth"), "heather on the far moor")
			return is(a.asBrowser(t, "GET", "/sites", "", got.cookie, k), 401, "sign in")
		}},
		{"the password from before a new one", func() string { return refused(a.byPassword("ruth", lastTry)) }},
		{"a session that the attacker chose beforehand", func() string { // fixation
			req, _ := http.NewRequest("POST", h.url+"/api/v1/session", strings.NewReader(fmt.Sprintf(`{"name":"ash","password":%q}`, ashKnows)))
			req.Header.Set("Origin", h.url)
			req.Header.Set("Harvik-Session", "chosen")
			req.AddCookie(&http.Cookie{Name: "harvik_session", Value: "chosen"})
			got := answerTo(t, req)
			if got.status != 200 || got.cookie == "chosen" || key(t, got.body) == "chosen" {
				return fmt.Sprintf("%+v", got)
			}
			return is(a.asBrowser(t, "GET", "/sites", "", "chosen", "chosen"), 401, "sign in")
		}},
		{"the session that a browser had before it signed in again", func() string {
			was := a.byPassword("ash", ashKnows)
			k := key(t, was.body)
			if got := a.asBrowser(t, "POST", "/session", fmt.Sprintf(`{"name":"ash","password":%q}`, ashKnows), was.cookie, k); got.status != 200 {
				return got.body
			}
			return is(a.asBrowser(t, "GET", "/sites", "", was.cookie, k), 401, "sign in")
		}},
		{"the cookie of a session without its key", func() string { return is(both(`{"label":"x"}`, ash.cookie, ""), 401, "sign in") }},
		{"the key of a session without its cookie", func() string {
			return is(a.raw("GET", "/sites", "", map[string]string{"Harvik-Session": ash.key, "Origin": h.url}), 401, "sign in")
		}},
		{"the halves of two people's sessions", func() string { return is(both(`{"label":"x"}`, ash.cookie, ruth.key), 401, "sign in") }},
		{"a session from another site's page", func() string {
			return is(a.raw("GET", "/sites", "", map[string]string{"Cookie": "harvik_session=" + ash.cookie, "Harvik-Session": ash.key,
				"Origin": "https://elsewhere.example"}), 401, "sign in")
		}},
		{"a session after signing out", func() string {
			got := a.byPassword("ash", ashKnows)
			k := key(t, got.body)
			if out := a.asBrowser(t, "DELETE", "/session", "", got.cookie, k); out.status != 204 {
				return out.body
			}
			return is(a.asBrowser(t, "GET", "/sites", "", got.cookie, k), 401, "sign in")
		}},
		{"a session that nobody used for three days", func() string {
			got := a.byPassword("ash", ashKnows)
			h.sql(t, "update credential set used = now() - interval '73 hours', created = now() - interval '73 hours' where kind = 'session'")
			defer h.sql(t, "update credential set used = now(), created = now() where kind = 'session'")
			return is(a.asBrowser(t, "GET", "/sites", "", got.cookie, key(t, got.body)), 401, "sign in")
		}},
		{"a session of fifteen days that is used daily", func() string {
			got := a.byPassword("ash", ashKnows)
			h.sql(t, "update credential set expires = expires - interval '15 days' where kind = 'session'")
			defer h.sql(t, "update credential set expires = expires + interval '15 days' where kind = 'session'")
			return is(a.asBrowser(t, "GET", "/sites", "", got.cookie, key(t, got.body)), 401, "sign in")
		}},
		{"a guessed token", func() string {
			return is(a.raw("GET", "/sites", "", map[string]string{"Authorization": "Bearer " + strings.Repeat("A", 43)}), 401, "sign in")
		}},
		{"an empty token", func() string {
			return is(a.raw("GET", "/sites", "", map[string]string{"Authorization": "Bearer "}), 401, "sign in")
		}},
		{"a token's print for the token", func() string {
			return is(a.raw("GET", "/sites", "", map[string]string{"Authorization": "Bearer " + h.sql(t,
				"select encode(hash, 'base64') from credential where label = 'program' limit 1")}), 401, "sign in")
		}},
		{"a token that has run out", func() string {
			made, err := ash.AddToken(t.Context(), api.TokenWish{Label: "short", Days: 1})
			if err != nil {
				return err.Error()
			}
			h.sql(t, "update credential set expires = now() - interval '1 second' where label = 'short'")
			return is(a.raw("GET", "/sites", "", map[string]string{"Authorization": "Bearer " + made.Token}), 401, "sign in")
		}},
		{"a token that makes itself a greater one", func() string {
			made, err := ash.AddToken(t.Context(), api.TokenWish{Label: "small", Role: "reader"})
			if err != nil {
				return err.Error()
			}
			greater, err := api.New(h.url, made.Token).AddToken(t.Context(), api.TokenWish{Label: "great", Role: "owner"})
			if err != nil {
				return err.Error()
			}
			who, err := api.New(h.url, greater.Token).WhoAmI(t.Context())
			if err != nil || who.Role != "reader" {
				return fmt.Sprintf("%+v (%v)", who, err)
			}
			return ""
		}},
		{"a token for a site that is not given", func() string {
			_, err := ash.AddToken(t.Context(), api.TokenWish{Label: "far", Sites: []string{foreignSite}})
			if err == nil || !strings.Contains(err.Error(), "there is no site") {
				return fmt.Sprint(err)
			}
			return ""
		}},
		{"a token that changes its person's password", func() string {
			return is(a.raw("PUT", "/me/password", `{"password":"`+lastTry+`"}`, map[string]string{"Authorization": "Bearer " + ash.token}),
				403, "a program does not")
		}},
		{"somebody else's token, revoked", func() string {
			all, err := h.ListCredentials(t.Context())
			at := slices.IndexFunc(all.Credentials, func(c api.Credential) bool { return c.Label == "owner" })
			if err != nil || at < 0 {
				return fmt.Sprint(err)
			}
			if err = ash.Revoke(t.Context(), all.Credentials[at].ID); err == nil || !strings.Contains(err.Error(), "nobody is let in") {
				return fmt.Sprint(err)
			}
			return ""
		}},
		{"somebody else's credentials, listed", func() string {
			all, err := ash.ListCredentials(t.Context())
			if err != nil || slices.ContainsFunc(all.Credentials, func(c api.Credential) bool { return c.Person != "ash" }) {
				return fmt.Sprintf("%+v (%v)", all, err)
			}
			return ""
		}},
		{"a password changed without the one before", func() string {
			return is(a.asBrowser(t, "PUT", "/me/password", `{"password":"`+lastTry+`","old":"not it, not it at all"}`, ash.cookie, ash.key), 401, "do not belong")
		}},
		{"a role that somebody gives themselves", func() string {
			return is(a.asBrowser(t, "PUT", "/me", `{"name":"ash","role":"owner"}`, ash.cookie, ash.key), 422, "unknown field")
		}},
		{"a name that is the owner's", func() string {
			return is(a.asBrowser(t, "PUT", "/me", `{"name":"ROWAN"}`, ash.cookie, ash.key), 409, "exists already")
		}},
		{"a name that looks like the owner's", func() string {
			return is(a.asBrowser(t, "PUT", "/me", `{"name":"row\u200ban"}`, ash.cookie, ash.key), 422, "cannot be seen")
		}},
		{"a name of somebody else for what is done", func() string {
			return is(a.asBrowser(t, "POST", "/sites/heath/waivers", `{"scope":"section","on":"/x/","reason":"y","by":"rowan"}`, ash.cookie, ash.key),
				422, "unknown field")
		}},
		{"a ticket for what its maker may not", func() string {
			got := a.asBrowser(t, "POST", "/tickets", `{"address":"/api/v1/people"}`, ruth.cookie, ruth.key)
			if got.status == 401 { // her session has ended above
				fresh := a.byPassword("ruth", "heather on the far moor")
				got = a.asBrowser(t, "POST", "/tickets", `{"address":"/api/v1/trail"}`, fresh.cookie, key(t, fresh.body))
			}
			address := regexp.MustCompile(`"address":"([^"]+)"`).FindStringSubmatch(got.body)
			if address == nil {
				return got.body
			}
			path := strings.ReplaceAll(strings.TrimPrefix(address[1], "/api/v1"), `\u0026`, "&")
			return is(a.raw("GET", path, "", nil), 403, "for owners")
		}},
		{"another host's name", func() string {
			return is(a.raw("POST", "/session", `{"name":"ash","password":"x"}`, map[string]string{"Host": "elsewhere.example"}), 421, "does not go by")
		}},
		{"a link to an invitation by another host's name", func() string {
			return is(a.raw("POST", "/people", `{"name":"birch","role":"reader"}`, map[string]string{"Host": "elsewhere.example",
				"Authorization": "Bearer " + h.token}), 421, "does not go by")
		}},
		{"a place that is made up", func() string {
			got := a.raw("POST", "/session", fmt.Sprintf(`{"name":"ash","password":%q}`, ashKnows),
				map[string]string{"X-Forwarded-For": "203.0.113.9", "X-Real-IP": "203.0.113.9", "Origin": h.url})
			if got.status != 200 {
				return got.body
			}
			if n := h.sql(t, "select count(*)::text from credential where place like '203.%'"); n != "0" {
				return n + " sessions from there"
			}
			return ""
		}},
		{"a password in the trail", func() string {
			list, err := h.ListTrail(t.Context(), &api.ListTrailParams{Limit: 1000})
			data, _ := json.Marshal(list)
			for _, secret := range []string{ashKnows, lastTry, "heather on the far moor", h.token} {
				if err != nil || bytes.Contains(data, []byte(secret)) {
					return fmt.Sprintf("it holds %q (%v)", secret, err)
				}
			}
			return ""
		}},
		{"a secret in the trail", func() string {
			if err := h.SetSecret(t.Context(), "heath", "members", api.NewSecret{Value: "bracken-value"}); err != nil {
				return err.Error()
			}
			list, err := h.ListTrail(t.Context(), &api.ListTrailParams{Limit: 1000})
			data, _ := json.Marshal(list)
			if err != nil || bytes.Contains(data, []byte("bracken-value")) || !bytes.Contains(data, []byte("setSecret")) {
				return fmt.Sprintf("%.300s (%v)", data, err)
			}
			return ""
		}},
		{"a person who is let in no more, at once", func() string {
			birch := h.joins(t, api.NewPerson{Name: "birch", Role: "reader", Sites: []string{"heath"}})
			if err := h.EndPerson(t.Context(), personNamed(t, h, "birch")); err != nil {
				return err.Error()
			}
			if got := birch.tries(t, "GET", "/api/v1/sites", "session"); got.status != 401 {
				return "the session: " + got.body
			}
			return is(birch.tries(t, "GET", "/api/v1/sites", "token"), 401, "sign in")
		}},
		{"a site taken under care under a name that somebody had rights to", func() string {
			if err := h.RemoveSite(t.Context(), "heath"); err != nil {
				return err.Error()
			}
			h.addSite(t, "heath", "http://"+testkit.Serve(t, pages)+"/", h.plan)
			return is(ash.tries(t, "GET", "/api/v1/sites/heath", "token"), 404, "there is no site")
		}},
		{"guessing until it fits", func() string {
			for range 12 {
				if got := a.byPassword("ash", "not it, not it at all"); got.status == 429 {
					return is(a.byPassword("ash", ashKnows), 429, "quarter of an hour")
				}
			}
			return "twelve guesses are taken"
		}},
		{"guessing links", func() string {
			for range 60 {
				if got := a.welcome("guess", lastTry); got.status == 429 {
					return ""
				}
			}
			return "sixty guesses are taken"
		}},
		{"shutting the owner out", func() string { // by what was guessed above: the machine's own link opens
			h.sql(t, "delete from attempt")
			for range 10 {
				a.byPassword(ownerName, "not it, not it at all")
			}
			link, err := h.store.IssueLink(t.Context())
			if err != nil {
				return err.Error()
			}
			return is(a.signIn(`{"link":"`+link+`"}`), 200, `"key"`)
		}},
	}
	if len(attacks) < 40 {
		t.Errorf("%d attacks", len(attacks))
	}
	for _, one := range attacks {
		t.Run(one.name, func(t *testing.T) {
			h.sql(t, "delete from attempt")
			if says := one.try(); says != "" {
				t.Error(says)
			}
		})
	}
}

// sql runs SQL on the service's database, and gives the one value that it asks for.
func (h *harvik) sql(t *testing.T, query string) (out string) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	conn, err := pgx.Connect(ctx, h.database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	rows, err := conn.Query(ctx, query)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		if err := rows.Scan(&out); err != nil {
			t.Fatal(err)
		}
	}
	if err := rows.Err(); err != nil {
		t.Fatal(err)
	}
	return out
}
