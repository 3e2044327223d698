package weburl

import "testing"

// TestIsHere: loopback in all its forms, and nothing that looks like it.
func TestIsHere(t *testing.T) {
	for host, want := range map[string]bool{"localhost": true, "127.0.0.1": true, "127.9.0.1": true, "::1": true,
		"": false, "0.0.0.0": false, "::": false, "10.0.0.1": false, "localhost.example": false, "127.0.0.1.example": false, "127.1": false} {
		if got := IsHere(host); got != want {
			t.Errorf("%q: %v", host, got)
		}
	}
}
