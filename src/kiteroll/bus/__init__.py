"""Messages between collectors at sites and the centre, over NATS JetStream.

    a site                                             the centre
    collector --readings--> stream of its NATS server ==sourced==> stream a site --> tracker
    collector --status, targets, answers-------------------------> collectors worker
              <--asked, changed------------------------------------

Every subject begins with `kiteroll.` and the token of a site: what a server lets a site publish is
its own alone.
"""
