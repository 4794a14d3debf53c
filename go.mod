module yellowgate

go 1.26.8

require (
	github.com/andybalholm/cascadia v1.3.5
	github.com/bmatcuk/doublestar/v4 v4.10.4
	github.com/goccy/go-yaml v1.19.2
	github.com/gofrs/flock v0.13.1
	github.com/klauspost/compress v1.20.3
	github.com/tdewolff/parse/v2 v2.8.20
	golang.org/x/net v0.62.0
	golang.org/x/sync v0.24.0
	golang.org/x/text v0.43.0
)

require golang.org/x/sys v0.49.0 // indirect
