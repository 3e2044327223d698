// Package version says which Harvik this is.
package version

// Number is the version by the changelog, whose newest heading it is.
const Number = "0.16"
