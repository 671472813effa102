// Standins runs the stand-in registry and CDN until it is stopped, for the script that makes the pictures. It
// writes the CDN's certificate into the file named, and prints both addresses. With --page it prints the demo's
// page of documentation's tags instead.
package main

import (
	"fmt"
	"os"

	"merrycrate.example/merry/demo"
	"merrycrate.example/merry/standin"
)

func main() {
	if len(os.Args) > 1 && os.Args[1] == "--page" {
		fmt.Print(demo.Documented)
		return
	}
	registry, err := standin.NewRegistry()
	exitOn(err)
	cdn, err := standin.NewCDN()
	exitOn(err)
	exitOn(os.WriteFile(os.Args[1], cdn.Certificate, 0o644))
	fmt.Println(registry.URL, cdn.Secure)
	os.Stdout.Close()
	select {}
}

func exitOn(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
