// Merry brings third-party libraries into a web project that is made of pages, and keeps the pages'
// references to them right.
package main

import (
	"os"

	"merrycrate.example/merry/cli"
)

func main() {
	os.Exit(cli.Run(os.Args[1:], os.Stdin, os.Stdout, os.Stderr))
}
