package service

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"reflect"
	"strings"
	"unicode/utf8"

	"github.com/gin-gonic/gin"
)

// noStore keeps answers of the API out of every cache.
func noStore(c *gin.Context) { c.Header("Cache-Control", "no-store") }

// maxParameter is the longest value of a query parameter, in bytes: the longest address that is crawled
// fits.
const maxParameter = 16 << 10

// wellFormed refuses addresses that nothing behind the door can do anything with.
func wellFormed(c *gin.Context) {
	bad := func(format string, args ...any) { problem(c, http.StatusBadRequest, fmt.Sprintf(format, args...)) }
	if fault := textFault(c.Request.URL.Path); fault != "" {
		bad("the address's path %s", fault)
		return
	}
	query, err := url.ParseQuery(c.Request.URL.RawQuery)
	switch {
	case err != nil && strings.Contains(c.Request.URL.RawQuery, ";"):
		bad("the address's query holds a semicolon: parts of a query are joined by &, and a semicolon in a value is written %%3B")
		return
	case err != nil:
		bad("the address's query cannot be read: %s", err)
		return
	}
	for name, values := range query {
		for _, v := range values {
			fault := textFault(name + v)
			if fault == "" && len(v) > maxParameter {
				fault = fmt.Sprintf("has %d bytes; at most %d are taken", len(v), maxParameter)
			}
			if fault != "" {
				bad("the parameter %q %s", strings.ToValidUTF8(strings.ReplaceAll(name, "\x00", ""), "\uFFFD"), fault)
				return
			}
		}
	}
}

// textFault says why a text cannot be kept: what is no UTF-8, or holds NUL. "" if it can.
func textFault(s string) string {
	switch {
	case !utf8.ValidString(s):
		return "is no UTF-8"
	case strings.IndexByte(s, 0) >= 0:
		return "holds a NUL character"
	}
	return ""
}

// maxBody bounds what a request may send.
const maxBody = 1 << 20

// bind reads a JSON body; on failure it has answered.
func (s *Service) bind(c *gin.Context, into any) bool {
	if !s.bindUpTo(c, into, maxBody) {
		return false
	}
	if field := holdsNUL(reflect.ValueOf(into), ""); field != "" {
		problem(c, http.StatusUnprocessableEntity, field+" holds a NUL character")
		return false
	}
	return true
}

// bindUpTo is bind with another bound on the body, in bytes, for texts that may hold anything.
func (s *Service) bindUpTo(c *gin.Context, into any, most int64) bool {
	data, ok := bodyOf(c, most, "the body", fmt.Sprintf("a body has at most %d bytes here", most))
	if !ok {
		return false
	}
	if !utf8.Valid(data) {
		problem(c, http.StatusUnprocessableEntity, "the body is no UTF-8")
		return false
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	if err := d.Decode(into); err != nil {
		problem(c, http.StatusUnprocessableEntity, "the body is not the JSON that is expected here: "+err.Error())
		return false
	}
	if _, err := d.Token(); err != io.EOF {
		problem(c, http.StatusUnprocessableEntity, "the body holds more than one JSON value")
		return false
	}
	return true
}

// bodyOf reads a body, which is named so, of at most so many bytes; on failure it has answered, with large
// where it is the size.
func bodyOf(c *gin.Context, most int64, name, large string) (data []byte, ok bool) {
	data, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, most))
	var big *http.MaxBytesError
	switch {
	case errors.As(err, &big):
		problem(c, http.StatusRequestEntityTooLarge, large)
	case err != nil:
		problem(c, http.StatusBadRequest, name+" did not arrive whole: "+err.Error())
	}
	return data, err == nil
}

// holdsNUL is the place of a text with a NUL character, "" if there is none.
func holdsNUL(v reflect.Value, path string) string {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			return holdsNUL(v.Elem(), path)
		}
	case reflect.String:
		if strings.IndexByte(v.String(), 0) >= 0 {
			return path
		}
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			if at := holdsNUL(v.Index(i), fmt.Sprintf("%s[%d]", path, i)); at != "" {
				return at
			}
		}
	case reflect.Map:
		for key, value := range v.Seq2() {
			if at := holdsNUL(value, path+"."+key.String()); at != "" || strings.IndexByte(key.String(), 0) >= 0 {
				return path + " or a name in it"
			}
		}
	case reflect.Struct:
		for f, value := range v.Fields() {
			if !f.IsExported() {
				continue
			}
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			if name == "" {
				name = f.Name
			}
			if path != "" {
				name = path + "." + name
			}
			if at := holdsNUL(value, name); at != "" {
				return at
			}
		}
	}
	return ""
}

// Longest texts that people write, in characters.
const (
	maxName   = 100  // of a person, a check, a fix
	maxWords  = 2000 // a reason, a note
	maxTarget = 8000 // what a waiver is about: an address
	maxSearch = 500
)

// fits tells whether texts keep within their bounds; where one does not, it has answered.
func fits(c *gin.Context, texts ...bounded) bool {
	for _, t := range texts {
		if n := utf8.RuneCountInString(t.text); n > t.most {
			problem(c, http.StatusUnprocessableEntity,
				fmt.Sprintf("%s has %d characters; at most %d are kept", t.name, n, t.most))
			return false
		}
	}
	return true
}

// bounded is a text with its bound.
type bounded struct {
	name, text string
	most       int
}
