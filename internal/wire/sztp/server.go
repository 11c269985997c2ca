package sztp

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
)

// Backend decides what devices are to be. Its methods may be called from many goroutines.
type Backend interface {
	// Bootstrap returns the configuration for the device of a serial number; ErrUnknown tells that there is none for it (yet).
	Bootstrap(serial string, d Device) (Configuration, error)
	// Progressed takes note of how far a device is.
	Progressed(serial string, p Progress) error
}

// ErrUnknown tells that there is nothing for a device.
var ErrUnknown = errors.New("there is nothing for this device")

// Server returns the bootstrap server. It must be served over TLS that requires and verifies the certificates of devices.
func Server(b Backend) http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("POST "+fetchPath, func(w http.ResponseWriter, r *http.Request) {
		var in Device
		if serial, ok := begin(w, r, &in); ok {
			config, err := b.Bootstrap(serial, in)
			var info []byte
			if err == nil {
				info, err = wrap(config)
			}
			if err != nil {
				refuse(w, err)
				return
			}
			w.Header().Set("Content-Type", MediaType)
			_ = json.NewEncoder(w).Encode(map[string]any{outputName: map[string]any{"reporting-level": "minimal", "conveyed-information": info}})
		}
	})
	mux.HandleFunc("POST "+reportPath, func(w http.ResponseWriter, r *http.Request) {
		var in progressJSON
		if serial, ok := begin(w, r, &in); ok {
			p := Progress{Type: in.Type, Message: in.Message}
			if in.Keys != nil {
				p.HostKeys = in.Keys.List
			}
			if err := b.Progressed(serial, p); err != nil {
				refuse(w, err)
				return
			}
			w.WriteHeader(http.StatusNoContent)
		}
	})
	return mux
}

// begin finds out who asks, and reads the input.
func begin(w http.ResponseWriter, r *http.Request, in any) (serial string, ok bool) {
	if r.TLS == nil || len(r.TLS.VerifiedChains) == 0 {
		fault(w, http.StatusUnauthorized, "access-denied", "show the certificate of the device")
		return "", false
	}
	serial = SerialOf(r.TLS.VerifiedChains[0][0])
	if serial == "" {
		fault(w, http.StatusUnauthorized, "access-denied", "the certificate has no serial number of a device")
		return "", false
	}
	var body map[string]json.RawMessage
	raw, err := io.ReadAll(http.MaxBytesReader(w, r.Body, 1<<20))
	if err == nil {
		err = json.Unmarshal(raw, &body)
	}
	if err == nil && body[inputName] != nil {
		err = json.Unmarshal(body[inputName], in)
	}
	if err != nil {
		fault(w, http.StatusBadRequest, "malformed-message", "the input cannot be read")
		return "", false
	}
	return serial, true
}

func refuse(w http.ResponseWriter, err error) {
	if errors.Is(err, ErrUnknown) {
		fault(w, http.StatusNotFound, "data-missing", err.Error()) // RFC 8572 section 7.1: the device tries again
		return
	}
	fault(w, http.StatusInternalServerError, "operation-failed", "the service cannot answer now")
}

// fault answers as RFC 8040 section 7.1 says.
func fault(w http.ResponseWriter, status int, tag, message string) {
	w.Header().Set("Content-Type", MediaType)
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]any{errorsName: map[string]any{"error": []any{
		map[string]string{"error-type": "application", "error-tag": tag, "error-message": message}}}})
}

func said(r io.Reader) string {
	var body map[string]struct {
		Error []struct {
			Message string `json:"error-message"`
		} `json:"error"`
	}
	if json.NewDecoder(io.LimitReader(r, 1<<20)).Decode(&body) != nil || len(body[errorsName].Error) == 0 {
		return ""
	}
	return body[errorsName].Error[0].Message
}

func statusError(resp *http.Response) error {
	if resp.StatusCode == http.StatusNotFound {
		return fmt.Errorf("%w: %s", ErrUnknown, said(resp.Body))
	}
	return fmt.Errorf("sztp: the server answered %s: %s", resp.Status, said(resp.Body))
}
