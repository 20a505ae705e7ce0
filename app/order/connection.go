package order

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"encoding/pem"
	"errors"
	"fmt"
	"net"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/exchange/hl7v2"
	"deftledger/exchange/mllp"
	"deftledger/store"
)

// linkSetting holds how the electronic laboratory is reached, where an administrator said so.
const linkSetting = "laboratory connection"

// link is how the electronic laboratory is reached. The key is encrypted: it cannot be read
// from the data alone.
type link struct {
	Address   string `json:"address"`
	Account   string `json:"account,omitempty"`
	TLS       bool   `json:"tls,omitempty"`
	Authority string `json:"authority,omitempty"`   // PEM; "" for those of the system
	Cert      string `json:"certificate,omitempty"` // PEM, of ours
	Key       string `json:"key,omitempty"`         // PEM, shut, in base64
	Version   int    `json:"version"`
}

func (a *Acts) link(q *store.Q) (l link, err error) {
	text, err := q.Setting(linkSetting)
	if err == nil && text != "" {
		err = json.Unmarshal([]byte(text), &l)
	}
	return l, err
}

// secure is the TLS configuration of a link; nil where it has none.
func (a *Acts) secure(l link) (*tls.Config, error) {
	if !l.TLS {
		return nil, nil
	}
	host, _, err := net.SplitHostPort(l.Address)
	if err != nil {
		return nil, err
	}
	c := &tls.Config{MinVersion: tls.VersionTLS12, ServerName: host}
	if l.Authority != "" {
		c.RootCAs = x509.NewCertPool()
		if !c.RootCAs.AppendCertsFromPEM([]byte(l.Authority)) {
			return nil, errors.New("the certificate of the authority cannot be read")
		}
	}
	if l.Cert != "" {
		shut, err := base64.StdEncoding.DecodeString(l.Key)
		if err != nil {
			return nil, err
		}
		key, err := a.Keys.Opened(shut, linkSetting)
		if err != nil {
			return nil, err
		}
		pair, err := tls.X509KeyPair([]byte(l.Cert), []byte(key))
		if err != nil {
			return nil, err
		}
		c.Certificates = []tls.Certificate{pair}
	}
	return c, nil
}

// hand gives a message to the electronic laboratory, the way it is reached now.
func (a *Acts) hand(ctx context.Context, message []byte) ([]byte, error) {
	var l link
	if err := a.Store.Read(ctx, func(q *store.Q) (err error) { l, err = a.link(q); return err }); err != nil {
		return nil, err
	}
	if l.Address == "" {
		return mllp.Exchange(ctx, a.LabAddr, message, answerLimit)
	}
	secure, err := a.secure(l)
	if err != nil {
		return nil, err
	}
	return mllp.ExchangeTLS(ctx, l.Address, secure, message, answerLimit)
}

// ConnectionView is how another party is reached, and how that stands.
type ConnectionView struct {
	Name        string `json:"name"`
	What        string `json:"what" doc:"What goes that way"`
	Address     string `json:"address" doc:"Without secrets; empty where it is not connected"`
	Waiting     int    `json:"waiting"`
	LastError   string `json:"lastError" doc:"Of what waits longest; empty where nothing waits"`
	Attempts    int    `json:"attempts" doc:"Of what waits longest"`
	LastContact string `json:"lastContact" doc:"When they answered last; empty for never"`
}

// LinkView is the set-up of the electronic laboratory, without its key.
type LinkView struct {
	Address     string   `json:"address" maxLength:"200" doc:"host:port; empty for the one the program was started with"`
	Account     string   `json:"account,omitempty" maxLength:"40" doc:"Ours at the laboratory"`
	TLS         bool     `json:"tls,omitempty"`
	Authority   string   `json:"authority,omitempty" maxLength:"20000" doc:"Certificate of the authority, PEM; empty for those of the system"`
	Certificate string   `json:"certificate,omitempty" maxLength:"20000" doc:"Ours, PEM; empty for none"`
	Key         string   `json:"key,omitempty" maxLength:"20000" doc:"To the certificate, PEM; never given out again, and empty to leave it as it is"`
	HasKey      bool     `json:"hasKey,omitempty"`
	Version     int      `json:"version"`
	Sites       []string `json:"sites,omitempty" doc:"Of the laboratory, from its list"`
	Until       string   `json:"until,omitempty" doc:"When the certificate ends; empty for none"`
}

// ConnectionsView is all connections, and the set-up of the laboratory.
type ConnectionsView struct {
	Connections []ConnectionView `json:"connections"`
	Laboratory  LinkView         `json:"laboratory"`
}

// Connections shows how every other party is reached and how that stands.
func (a *Acts) Connections(ctx context.Context, who act.Actor) (out ConnectionsView, err error) {
	out.Connections = []ConnectionView{}
	err = a.Look(ctx, who, act.SetConnections, func(q *store.Q) error {
		l, err := a.link(q)
		if err != nil {
			return err
		}
		out.Laboratory = LinkView{Address: l.Address, Account: l.Account, TLS: l.TLS, Authority: l.Authority, Certificate: l.Cert, HasKey: l.Key != "", Version: l.Version, Sites: []string{}}
		for _, s := range a.Config.Laboratory("").Sites {
			out.Laboratory.Sites = append(out.Laboratory.Sites, s.Name)
		}
		if block, _ := pem.Decode([]byte(l.Cert)); block != nil {
			if c, err := x509.ParseCertificate(block.Bytes); err == nil {
				out.Laboratory.Until = a.Say(c.NotAfter)
			}
		}
		address := l.Address
		if address == "" {
			address = a.LabAddr
		}
		for _, x := range []struct{ name, what, address, destination string }{
			{a.Config.Laboratory("").Name, "orders, HL7 v2", address, laboratory}, {"Fax line", "requisitions", a.Elsewhere.Fax, requisition}, {"Fax line", "documents", a.Elsewhere.Fax, "fax"}, {"Fax line", "questions to laboratories", a.Elsewhere.Fax, "laboratory by fax"},
			{"Fax line", "referrals", a.Elsewhere.Fax, "referral by fax"}, {"Fax line", "prescriptions", a.Elsewhere.Fax, "prescription by fax"}, {"Patient portal", "messages", a.Elsewhere.Portal, "portal"},
			{"Pharmacy network", "prescriptions, FHIR", a.Elsewhere.Pharmacy, "pharmacy"}, {"Immunization registry", "vaccines, HL7 v2", a.Elsewhere.Registry, "immunization registry"}, {"Record exchange", "charts and documents, FHIR", a.Elsewhere.Exchange, "record exchange"}, {"Other practices", "referrals, FHIR", a.Elsewhere.Receivers, "receiver"},
		} {
			b, err := q.BacklogOf(x.destination)
			if err != nil {
				return err
			}
			out.Connections = append(out.Connections, ConnectionView{x.name, x.what, x.address, b.Waiting, b.LastError, b.Attempts, a.Say(b.LastContact)})
		}
		at, err := q.LastReceived()
		out.Connections = append(out.Connections, ConnectionView{Name: "Listener", What: "results that come in, HL7 v2", Address: "as the program was started", LastContact: a.Say(at)})
		return err
	})
	return out, err
}

// SetLaboratory sets how the electronic laboratory is reached: address, account, TLS with an
// authority and a certificate of ours. What waits goes that way from then on.
func (a *Acts) SetLaboratory(ctx context.Context, who act.Actor, v LinkView) error {
	if err := act.Allow(who, act.SetConnections); err != nil {
		return err
	}
	l := link{Address: strings.TrimSpace(v.Address), Account: strings.TrimSpace(v.Account), TLS: v.TLS, Authority: strings.TrimSpace(v.Authority), Cert: strings.TrimSpace(v.Certificate), Version: v.Version + 1}
	if host, port, err := net.SplitHostPort(l.Address); l.Address != "" && (err != nil || host == "" || port == "") {
		return act.Refuse(act.Invalid, "%q is no address; write it as host:port, as in lab.example:6661.", l.Address)
	}
	if l.Address == "" && (l.TLS || l.Cert != "") {
		return act.Refuse(act.Invalid, "Give the address that is reached with TLS.")
	}
	if l.Cert != "" && !l.TLS {
		return act.Refuse(act.Invalid, "A certificate of ours is shown over TLS only: turn it on.")
	}
	return a.Act(ctx, who, act.SetConnections, func(t *act.Tx) error {
		was, err := a.link(t.Q)
		if err != nil {
			return err
		}
		if was.Version != v.Version {
			return act.Stale(store.ErrStale, "The connection")
		}
		if v.Key != "" {
			shut, err := a.Keys.Shut(v.Key, linkSetting)
			if err != nil {
				return err
			}
			l.Key = base64.StdEncoding.EncodeToString(shut)
		} else if l.Cert != "" {
			l.Key = was.Key
		}
		if _, err := a.secure(l); err != nil {
			return act.Refuse(act.Invalid, "The certificates cannot be used: %v.", err)
		}
		text, err := json.Marshal(l)
		if err != nil {
			return err
		}
		if err := t.SetSetting(linkSetting, string(text)); err != nil {
			return err
		}
		return t.AuditNamed("set up the laboratory connection", "", "", "")
	})
}

// Tried is what a test message found.
type Tried struct {
	Reached bool   `json:"reached" doc:"The laboratory answered our message"`
	Says    string `json:"says"`
	Took    int    `json:"took" doc:"Milliseconds"`
}

// TryLaboratory sends the laboratory a message that orders nothing, and says what it answered:
// any answer to our control number shows that the connection works, also one that does not know
// that kind of message.
func (a *Acts) TryLaboratory(ctx context.Context, who act.Actor) (out Tried, err error) {
	if err := act.Allow(who, act.SetConnections); err != nil {
		return out, err
	}
	control := "TEST" + act.NewID()[24:]
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	start := time.Now()
	answer, err := a.hand(ctx, hl7v2.Probe(control, a.Facility, a.Config.Laboratory("").Facility, a.Clock().In(a.Location)))
	out.Took = int(time.Since(start).Milliseconds())
	if err != nil {
		out.Says = "Nobody answered: " + err.Error()
		return out, a.tried(ctx, who)
	}
	ack, err := hl7v2.ParseAck(answer)
	switch {
	case err != nil:
		out.Says = "Something answered that is no HL7 v2 acknowledgement."
	case ack.Control != control:
		out.Says = "It answered another message than ours (" + ack.Control + ")."
	default:
		out.Reached, out.Says = true, fmt.Sprintf("It answers (%s). %s", ack.Code, ack.Text)
	}
	return out, a.tried(ctx, who)
}

func (a *Acts) tried(ctx context.Context, who act.Actor) error {
	return a.Act(ctx, who, act.SetConnections, func(t *act.Tx) error { return t.AuditNamed("try the laboratory connection", "", "", "") })
}
