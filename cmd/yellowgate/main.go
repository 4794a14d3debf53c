// Yellowgate decides which scripts, stylesheets, tags and metadata load on which
// pages of a site, puts that into effect, explains it, and audits it.
package main

import (
	"os"

	"yellowgate/internal/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
