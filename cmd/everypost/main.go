// Command everypost is the service, the demo and the client in one binary.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"
	_ "time/tzdata" // time zones, where the machine has none

	"example.net/everypost/internal/cli"
)

// version is set by the build.
var version = "dev"

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root := cli.Root(version)
	root.AddCommand(serveCommand(), demoCommand())
	code := cli.Run(ctx, root)
	stop()
	os.Exit(code)
}
