// Command openapi prints the description of the HTTP interface, from which the console's types are generated.
package main

import (
	"encoding/json"
	"fmt"
	"os"

	"example.net/everypost/internal/api/server"
)

func main() {
	b, err := json.MarshalIndent(server.API("1"), "", "  ")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	fmt.Println(string(b))
}
