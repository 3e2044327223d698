// What changes code to see whether its tests notice has a module of its own, so that the service does not depend on it.
module harvik/scripts/mutate

go 1.26.0

require golang.org/x/tools v0.52.0

require (
	golang.org/x/mod v0.42.0 // indirect
	golang.org/x/sync v0.24.0 // indirect
)
