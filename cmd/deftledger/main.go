// Command deftledger runs Deft Ledger and looks after its data.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"syscall"
	_ "time/tzdata" // so that zones are known on any machine
)

const usage = `deftledger keeps the chart of a clinic.

  deftledger serve   --data DIR     run the application on existing data
  deftledger demo    [--data DIR]   run it with the Skerrow demo data and the simulated laboratory
  deftledger verify  --data DIR     prove that nothing signed was altered; exit 1 when something was
  deftledger anchor  --data DIR     print the signed head of the ledger, to be kept elsewhere
  deftledger backup  --data DIR FILE
  deftledger restore --data DIR FILE
  deftledger users   --data DIR     list the people who sign in; add one, or give new secrets, with flags
  deftledger codes   search WORDS   find a diagnosis code; "codes load" takes a newer official release
  deftledger rules   --out DIR      write the rules and measures as FHIR and CQL, with charts to try them on
  deftledger generate --data DIR    make a practice of invented people of any size, for measuring
  deftledger export  --data DIR --out DIR  write the practice as FHIR, a resource a line; goes on where it was stopped
  deftledger openapi                print the description of the interface's API

Every command explains its flags with -h.
`

type command func(ctx context.Context, args []string) error

var commands = map[string]command{
	"serve": serve, "demo": runDemo, "verify": verify, "anchor": anchor, "backup": backup, "restore": restore,
	"users": users, "codes": codes, "rules": rules, "openapi": openapi, "generate": generated, "export": export,
}

// errSaid ends with exit code 1 after the command has said why itself.
var errSaid = errors.New("")

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	slog.SetDefault(slog.New(slog.NewTextHandler(os.Stderr, nil)))
	if len(os.Args) < 2 || commands[os.Args[1]] == nil {
		fmt.Fprint(os.Stderr, usage)
		os.Exit(2)
	}
	err := commands[os.Args[1]](ctx, os.Args[2:])
	switch {
	case errors.Is(err, flag.ErrHelp):
		os.Exit(0)
	case errors.Is(err, errSaid):
		os.Exit(1)
	case err != nil:
		fmt.Fprintln(os.Stderr, "deftledger: "+err.Error())
		os.Exit(1)
	}
}
