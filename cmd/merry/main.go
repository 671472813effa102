// Merry brings third-party libraries into a web project that is made of pages, and keeps the pages'
// references to them right.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"merrycrate.example/merry/cli"
)

func main() {
	// The first interrupt cancels what the command is at; a second one ends it at once.
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	context.AfterFunc(ctx, stop)
	os.Exit(cli.Run(ctx, os.Args[1:], os.Stdin, os.Stdout, os.Stderr))
}
