package netconf

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
)

// DefaultMaxMessage bounds one message, in bytes, where the caller gives no other limit.
const DefaultMaxMessage = 32 << 20

var (
	// ErrMessageTooLarge is returned when a peer sends a message over the limit. The stream cannot be used any more.
	ErrMessageTooLarge = errors.New("netconf message over the size limit")
	// ErrFraming is returned when a peer breaks the framing of RFC 6242. The stream cannot be used any more.
	ErrFraming = errors.New("netconf framing broken")
)

var endOfMessage = []byte("]]>]]>")

// FrameReader reads whole messages from a stream. It starts with end-of-message framing; SetChunked switches it.
type FrameReader struct {
	r       *bufio.Reader
	max     int
	chunked bool
}

// NewFrameReader reads from r messages of at most max bytes (DefaultMaxMessage when 0).
func NewFrameReader(r io.Reader, max int) *FrameReader {
	if max <= 0 {
		max = DefaultMaxMessage
	}
	return &FrameReader{r: bufio.NewReaderSize(r, 32<<10), max: max}
}

// SetChunked switches to chunked framing, as both peers do after exchanging base:1.1 in their hellos.
func (f *FrameReader) SetChunked() { f.chunked = true }

// ReadMessage returns the next message, in memory of its own. io.EOF means that the peer ended between messages.
func (f *FrameReader) ReadMessage() ([]byte, error) {
	if f.chunked {
		return f.readChunked()
	}
	return f.readToEnd()
}

func (f *FrameReader) readToEnd() ([]byte, error) {
	var msg []byte
	for {
		part, err := f.r.ReadSlice('>')
		if len(msg)+len(part) > f.max+len(endOfMessage) {
			return nil, ErrMessageTooLarge
		}
		msg = append(msg, part...)
		if err == nil && bytes.HasSuffix(msg, endOfMessage) {
			return msg[:len(msg)-len(endOfMessage)], nil
		}
		switch {
		case err == nil, errors.Is(err, bufio.ErrBufferFull):
		case errors.Is(err, io.EOF) && len(bytes.TrimSpace(msg)) > 0:
			return nil, io.ErrUnexpectedEOF
		default:
			return nil, err
		}
	}
}

// readChunked follows the grammar of RFC 6242 section 4.2: LF HASH size LF data, ended by LF HASH HASH LF.
func (f *FrameReader) readChunked() ([]byte, error) {
	var msg []byte
	for first := true; ; first = false {
		size, err := f.chunkHeader()
		if err != nil {
			if errors.Is(err, io.EOF) && !first {
				err = io.ErrUnexpectedEOF
			}
			return nil, err
		}
		if size == 0 {
			if first {
				return nil, fmt.Errorf("%w: a message without a chunk", ErrFraming)
			}
			return msg, nil
		}
		if size > uint64(f.max-len(msg)) {
			return nil, ErrMessageTooLarge
		}
		// Grow with what arrives, not with what is announced: a header alone must not cost memory.
		buf := bytes.NewBuffer(msg)
		if _, err := io.CopyN(buf, f.r, int64(size)); err != nil {
			return nil, unexpected(err)
		}
		msg = buf.Bytes()
	}
}

// chunkHeader returns the size of the chunk that follows, or 0 for the end of the message.
func (f *FrameReader) chunkHeader() (uint64, error) {
	b, err := f.r.ReadByte()
	if err != nil {
		return 0, err
	}
	if b != '\n' {
		return 0, fmt.Errorf("%w: %q where a chunk should start", ErrFraming, b)
	}
	if b, err = f.r.ReadByte(); err != nil {
		return 0, unexpected(err)
	}
	if b != '#' {
		return 0, fmt.Errorf("%w: %q where # should stand", ErrFraming, b)
	}
	var digits [11]byte
	n := 0
	for {
		if b, err = f.r.ReadByte(); err != nil {
			return 0, unexpected(err)
		}
		if b == '\n' {
			break
		}
		if n == len(digits) {
			return 0, fmt.Errorf("%w: chunk size too long", ErrFraming)
		}
		digits[n] = b
		n++
	}
	if n == 1 && digits[0] == '#' {
		return 0, nil
	}
	if n == 0 || digits[0] < '1' || digits[0] > '9' {
		return 0, fmt.Errorf("%w: chunk size %q", ErrFraming, digits[:n])
	}
	size, err := strconv.ParseUint(string(digits[:n]), 10, 32)
	if err != nil {
		return 0, fmt.Errorf("%w: chunk size %q", ErrFraming, digits[:n])
	}
	return size, nil
}

func unexpected(err error) error {
	if errors.Is(err, io.EOF) {
		return io.ErrUnexpectedEOF
	}
	return err
}

// FrameWriter writes whole messages to a stream. It starts with end-of-message framing; SetChunked switches it.
// It is for one goroutine at a time.
type FrameWriter struct {
	w       io.Writer
	chunked bool
	buf     []byte
}

// NewFrameWriter writes to w.
func NewFrameWriter(w io.Writer) *FrameWriter { return &FrameWriter{w: w} }

// SetChunked switches to chunked framing.
func (f *FrameWriter) SetChunked() { f.chunked = true }

// WriteMessage frames and writes one message, in one call of the underlying Write.
func (f *FrameWriter) WriteMessage(msg []byte) error {
	if len(msg) == 0 {
		return errors.New("netconf: empty message")
	}
	f.buf = f.buf[:0]
	if f.chunked {
		f.buf = fmt.Appendf(f.buf, "\n#%d\n", len(msg))
		f.buf = append(append(f.buf, msg...), "\n##\n"...)
	} else {
		if bytes.Contains(msg, endOfMessage) {
			return fmt.Errorf("%w: the message contains the end-of-message mark", ErrFraming)
		}
		f.buf = append(append(f.buf, msg...), endOfMessage...)
	}
	_, err := f.w.Write(f.buf)
	if cap(f.buf) > 1<<20 {
		f.buf = nil // do not hold on to a large one
	}
	return err
}
