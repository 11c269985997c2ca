package firmware

import (
	"bufio"
	"context"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
	"net/http"
	"net/url"
	"os"
	"regexp"
	"strings"
	"time"

	"example.net/everypost/internal/store"
)

// An address at which new images are looked for holds a list: a line for each image, of its SHA-256 in hexadecimal digits and its name, as sha256sum
// writes it. The images lie beside the list. What is in the library already is not fetched again.

const (
	byAddress   = "the address" // who added an image that came so
	mostList    = 256 << 10     // octets of a list
	mostListed  = 500           // images of it
	addressTime = 30 * time.Second
	fetchTime   = 30 * time.Minute // of one image
)

// Address is where new images are looked for besides a folder.
type Address struct {
	URL       string // of the list; "" for none
	Authority string // file with who vouches for it (PEM); "" for those that the machine trusts
}

// listed is an image of a list.
type listed struct{ sum, name string }

var listLine = regexp.MustCompile(`^([0-9a-f]{64}) [ *]([A-Za-z0-9][A-Za-z0-9._+-]{0,119}\.image)$`)

// client makes what asks an address, or tells what is wrong with it.
func (a Address) client() (*http.Client, *url.URL, error) {
	u, err := url.Parse(a.URL)
	if err != nil || u.Scheme != "https" || u.Host == "" || u.User != nil {
		return nil, nil, fmt.Errorf("the address of new images has to be https, without a user in it: %q", a.URL)
	}
	t := &http.Transport{TLSClientConfig: &tls.Config{MinVersion: tls.VersionTLS12}, ResponseHeaderTimeout: addressTime, Proxy: http.ProxyFromEnvironment}
	if a.Authority != "" {
		pem, err := os.ReadFile(a.Authority)
		if err != nil {
			return nil, nil, err
		}
		t.TLSClientConfig.RootCAs = x509.NewCertPool()
		if !t.TLSClientConfig.RootCAs.AppendCertsFromPEM(pem) {
			return nil, nil, fmt.Errorf("%s holds no certificate in PEM", a.Authority)
		}
	}
	return &http.Client{Transport: t, CheckRedirect: func(r *http.Request, _ []*http.Request) error {
		return fmt.Errorf("the address leads elsewhere, to %s: say that one", r.URL.Redacted())
	}}, u, nil
}

// watchAddress takes new images from an address into the library, where they wait to be approved.
func (s *Service) watchAddress(ctx context.Context, c *http.Client, list *url.URL) {
	defer c.CloseIdleConnections()
	tick := time.NewTicker(s.Timing.Address)
	defer tick.Stop()
	refused := map[listed]bool{} // what is no image is not fetched again
	for {
		if err := s.lookAtAddress(ctx, c, list, refused); err != nil && ctx.Err() == nil {
			s.Log.Warn("new images could not be looked for", "address", list.Redacted(), "err", err)
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

func (s *Service) lookAtAddress(ctx context.Context, c *http.Client, list *url.URL, refused map[listed]bool) error {
	wanted, err := readList(ctx, c, list)
	if err != nil {
		return err
	}
	have := map[string]bool{}
	all, err := s.Store.Images(ctx)
	if err != nil {
		return err
	}
	for _, i := range all {
		have[i.SHA256] = true
	}
	for _, one := range wanted {
		if have[one.sum] || refused[one] {
			continue
		}
		err := s.addFrom(ctx, c, list.JoinPath("..", one.name), one)
		if errors.Is(err, ErrInvalid) || errors.Is(err, store.ErrExists) || errors.Is(err, errSum) {
			refused[one] = true
		}
		if err != nil && !errors.Is(err, store.ErrExists) && ctx.Err() == nil {
			s.Log.Warn("an image of the address was not taken", "image", one.name, "err", err)
		}
	}
	return nil
}

// readList reads the list of an address.
func readList(ctx context.Context, c *http.Client, list *url.URL) (out []listed, err error) {
	ctx, cancel := context.WithTimeout(ctx, addressTime)
	defer cancel()
	body, err := fetch(ctx, c, list)
	if err != nil {
		return nil, err
	}
	defer func() { _ = body.Close() }()
	lines := bufio.NewScanner(io.LimitReader(body, mostList))
	for lines.Scan() {
		if m := listLine.FindStringSubmatch(strings.TrimRight(lines.Text(), "\r")); m != nil && len(out) < mostListed {
			out = append(out, listed{m[1], m[2]})
		}
	}
	return out, lines.Err()
}

func fetch(ctx context.Context, c *http.Client, from *url.URL) (io.ReadCloser, error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, from.String(), nil)
	if err != nil {
		return nil, err
	}
	resp, err := c.Do(r)
	if err != nil {
		return nil, err
	}
	if resp.StatusCode != http.StatusOK {
		_ = resp.Body.Close()
		return nil, fmt.Errorf("%s answers %s", from.Redacted(), resp.Status)
	}
	return resp.Body, nil
}

var errSum = errors.New("what came is not what the list says: its SHA-256 differs")

// summed fails at the end of what is read where its checksum is another.
type summed struct {
	of   io.Reader
	sum  hash.Hash
	want string
}

func (r *summed) Read(p []byte) (int, error) {
	n, err := r.of.Read(p)
	r.sum.Write(p[:n])
	if errors.Is(err, io.EOF) && hex.EncodeToString(r.sum.Sum(nil)) != r.want {
		err = errSum
	}
	return n, err
}

func (s *Service) addFrom(ctx context.Context, c *http.Client, from *url.URL, one listed) error {
	ctx, cancel := context.WithTimeout(ctx, fetchTime)
	defer cancel()
	body, err := fetch(ctx, c, from)
	if err != nil {
		return err
	}
	defer func() { _ = body.Close() }()
	i, err := s.Add(ctx, &summed{body, sha256.New(), one.sum}, byAddress)
	if err != nil {
		return err
	}
	return s.Store.Audit(ctx, store.AuditEntry{At: s.now(), User: byAddress, Action: "add-image", Object: fmt.Sprint(i.Number), Detail: "done: " + one.name})
}
