// Package standin is a mail server for demonstration and tests: it takes every mail, keeps it in memory, delivers none,
// and shows what it has on a page. It listens on loopback alone.
package standin

import (
	"bytes"
	"context"
	"errors"
	"html/template"
	"io"
	"log"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net"
	"net/http"
	"net/mail"
	"regexp"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// Bounds on what is kept.
const (
	mostMails = 10_000
	mostBytes = 1 << 20 // of one mail
)

// Mail is one mail as it came.
type Mail struct {
	From, MessageID, Subject string
	To                       []string
	Plain, HTML              string
	At                       time.Time
}

// Server takes mail and shows it.
type Server struct {
	smtp     *smtp.Server
	page     *http.Server
	mailAt   net.Listener
	pageAt   net.Listener
	mu       sync.Mutex
	mails    []Mail
	refusing error
}

// Start listens on two addresses of loopback; port 0 takes a free one.
func Start(mailAddress, pageAddress string) (*Server, error) {
	s := &Server{}
	var err error
	if s.mailAt, err = net.Listen("tcp", mailAddress); err != nil {
		return nil, err
	}
	if s.pageAt, err = net.Listen("tcp", pageAddress); err != nil {
		return nil, errors.Join(err, s.mailAt.Close())
	}
	s.smtp = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{server: s}, nil }))
	s.smtp.Domain, s.smtp.MaxMessageBytes, s.smtp.MaxRecipients = "localhost", mostBytes, 50
	s.smtp.ErrorLog = log.New(io.Discard, "", 0) // clients may go as they like
	s.smtp.ReadTimeout, s.smtp.WriteTimeout = time.Minute, time.Minute
	s.page = &http.Server{Handler: s, ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = s.smtp.Serve(s.mailAt) }()
	go func() { _ = s.page.Serve(s.pageAt) }()
	return s, nil
}

// Config is what NIMBUS_SMTP would be for this server.
func (s *Server) Config() string {
	return "smtp+plain://" + s.mailAt.Addr().String() + "?from=nimbus@farm.example"
}

// Page is the address of the page.
func (s *Server) Page() string { return "http://" + s.pageAt.Addr().String() }

// Mails are those that came, the oldest first.
func (s *Server) Mails() []Mail {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]Mail{}, s.mails...)
}

// Refuse makes the server refuse every mail with an error from now on; nil ends that.
func (s *Server) Refuse(err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.refusing = err
}

// Close stops both.
func (s *Server) Close() error {
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	return errors.Join(s.smtp.Close(), s.page.Shutdown(ctx))
}

// session is one connection's.
type session struct {
	server *Server
	from   string
	to     []string
}

// Reset forgets the mail that was begun.
func (x *session) Reset() { x.from, x.to = "", nil }

// Logout ends the session.
func (x *session) Logout() error { return nil }

// Mail begins a mail.
func (x *session) Mail(from string, _ *smtp.MailOptions) error {
	x.from = from
	return nil
}

// Rcpt adds a recipient.
func (x *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	x.to = append(x.to, to)
	return nil
}

// Data takes the mail's text.
func (x *session) Data(r io.Reader) error {
	s := x.server
	s.mu.Lock()
	refusing := s.refusing
	s.mu.Unlock()
	if refusing != nil {
		return refusing
	}
	text, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	m, err := read(text)
	if err != nil {
		return &smtp.SMTPError{Code: 554, Message: "the mail cannot be read"}
	}
	m.From, m.To, m.At = x.from, append([]string{}, x.to...), time.Now()
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.mails) == mostMails {
		s.mails = s.mails[1:]
	}
	s.mails = append(s.mails, m)
	return nil
}

// read takes a mail apart, as far as this product writes them.
func read(text []byte) (m Mail, err error) {
	msg, err := mail.ReadMessage(bytes.NewReader(text))
	if err != nil {
		return m, err
	}
	m.MessageID = msg.Header.Get("Message-Id")
	if m.Subject, err = new(mime.WordDecoder).DecodeHeader(msg.Header.Get("Subject")); err != nil {
		return m, err
	}
	kind, params, err := mime.ParseMediaType(msg.Header.Get("Content-Type"))
	if err != nil || !strings.HasPrefix(kind, "multipart/") {
		body, err := io.ReadAll(msg.Body)
		m.Plain = string(body)
		return m, err
	}
	parts := multipart.NewReader(msg.Body, params["boundary"])
	for {
		part, err := parts.NextRawPart()
		if errors.Is(err, io.EOF) {
			return m, nil
		}
		if err != nil {
			return m, err
		}
		var r io.Reader = part
		if strings.EqualFold(part.Header.Get("Content-Transfer-Encoding"), "quoted-printable") {
			r = quotedprintable.NewReader(part)
		}
		body, err := io.ReadAll(r)
		if err != nil {
			return m, err
		}
		if strings.HasPrefix(part.Header.Get("Content-Type"), "text/html") {
			m.HTML = string(body)
		} else {
			m.Plain = strings.ReplaceAll(string(body), "\r\n", "\n")
		}
	}
}

var address = regexp.MustCompile(`https?://[^\s<>"]+`)

// linked is a text with its addresses to follow.
func linked(text string) template.HTML {
	escaped := template.HTMLEscapeString(text)
	return template.HTML(address.ReplaceAllString(escaped, `<a href="$0">$0</a>`))
}

var page = template.Must(template.New("page").Funcs(template.FuncMap{"linked": linked}).Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Mail</title>
<style>
body{font:16px/1.5 Georgia,serif;color:#1c2a2e;background:#f7f5ef;max-width:720px;margin:24px auto;padding:0 16px}
h1{font-size:28px;font-weight:400} article{border-top:1px solid #c9c4b4;padding:16px 0}
h2{font-size:16px;margin:0} p.about{font-size:14px;color:#55636a;margin:4px 0}
pre{font:14px/1.5 monospace;white-space:pre-wrap;overflow-wrap:anywhere;margin:8px 0 0} a{color:#0f5c63}
@media (prefers-color-scheme: dark){body{background:#10191c;color:#e6e4dc} article{border-color:#39474c}
p.about{color:#a9b4b8} a{color:#7fc4c9}}
</style></head><body><main>
<h1>Mail that was sent</h1>
<p>A stand-in took it: nothing leaves this machine. The newest comes first; load the page again for more.</p>
{{range .}}<article><h2>{{.Subject}}</h2>
<p class="about">to {{range .To}}{{.}} {{end}}· {{.At.Format "15:04:05"}}</p>
<pre>{{linked .Plain}}</pre></article>
{{else}}<p>None yet. Links go out by mail to people who have an address.</p>{{end}}
</main></body></html>
`))

// mostShown bounds the mails on the page.
const mostShown = 200

// ServeHTTP shows the newest mails.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.URL.Path != "/" {
		http.NotFound(w, r)
		return
	}
	list := s.Mails()
	shown := make([]Mail, 0, mostShown)
	for i := len(list) - 1; i >= 0 && len(shown) < mostShown; i-- {
		shown = append(shown, list[i])
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'")
	_ = page.Execute(w, shown)
}
