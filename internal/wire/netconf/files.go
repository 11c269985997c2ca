package netconf

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"

	"github.com/pkg/sftp"
)

// fileChunk is how much of a file is sent between two looks at how far it is.
const fileChunk = 128 << 10

// ErrLarge tells that a file is larger than is wanted.
var ErrLarge = errors.New("the file is too large")

// PutFile has the server have a file of a name, by SFTP on a channel of its own beside the sessions of the connection. It goes on where an earlier try
// stopped: what the server has of that name is taken for a begin of it, unless it is longer. tell is called with how many octets are there.
func (c *Conn) PutFile(ctx context.Context, name string, from io.ReaderAt, size int64, tell func(int64)) error {
	return c.withFiles(ctx, func(client *sftp.Client) error { return putFile(client, name, from, size, tell) })
}

// Files lists the files that the server has.
func (c *Conn) Files(ctx context.Context) (list []fs.FileInfo, err error) {
	return list, c.withFiles(ctx, func(client *sftp.Client) error {
		list, err = client.ReadDirContext(ctx, "/")
		return err
	})
}

// GetFile returns a file of the server that has no more octets than most.
func (c *Conn) GetFile(ctx context.Context, name string, most int64) (content []byte, err error) {
	return content, c.withFiles(ctx, func(client *sftp.Client) error {
		f, err := client.Open(name)
		if err != nil {
			return err
		}
		defer func() { _ = f.Close() }()
		if content, err = io.ReadAll(io.LimitReader(f, most+1)); err == nil && int64(len(content)) > most {
			content, err = nil, ErrLarge
		}
		return err
	})
}

// RemoveFile removes a file of the server.
func (c *Conn) RemoveFile(ctx context.Context, name string) error {
	return c.withFiles(ctx, func(client *sftp.Client) error { return client.Remove(name) })
}

// withFiles opens a channel for files and closes it again, at the latest when ctx ends.
func (c *Conn) withFiles(ctx context.Context, do func(*sftp.Client) error) (err error) {
	ch, err := c.client.NewSession()
	if err != nil {
		return err
	}
	defer func() { _ = ch.Close() }()
	stop := context.AfterFunc(ctx, func() { _ = ch.Close() })
	defer stop()
	defer func() {
		if ctx.Err() != nil {
			err = context.Cause(ctx)
		}
	}()
	in, err := ch.StdinPipe()
	if err != nil {
		return err
	}
	out, err := ch.StdoutPipe()
	if err != nil {
		return err
	}
	if err := ch.RequestSubsystem("sftp"); err != nil {
		return fmt.Errorf("sftp subsystem: %w", err)
	}
	client, err := sftp.NewClientPipe(out, in)
	if err != nil {
		return err
	}
	defer func() { _ = client.Close() }()
	return do(client)
}

func putFile(client *sftp.Client, name string, from io.ReaderAt, size int64, tell func(int64)) error {
	at := int64(0)
	there, err := client.Stat(name)
	switch {
	case err == nil && there.Size() <= size:
		at = there.Size()
	case err == nil:
		if err := client.Remove(name); err != nil {
			return err
		}
	case !errors.Is(err, fs.ErrNotExist):
		return err
	}
	f, err := client.OpenFile(name, os.O_WRONLY|os.O_CREATE)
	if err != nil {
		return err
	}
	if err := sendFrom(f, at, from, size, tell); err != nil {
		_ = f.Close()
		return err
	}
	return f.Close()
}

// sendFrom sends what is missing from an octet on, in order, so that what is there is always a begin of the file.
func sendFrom(f *sftp.File, at int64, from io.ReaderAt, size int64, tell func(int64)) error {
	buffer := make([]byte, fileChunk)
	for tell(at); at < size; tell(at) {
		n, err := from.ReadAt(buffer[:min(fileChunk, size-at)], at)
		if n == 0 {
			return err
		}
		if _, err := f.WriteAt(buffer[:n], at); err != nil {
			return err
		}
		at += int64(n)
	}
	return nil
}
