"""HTTP: routes that parse a call, run one query or use case of `kiteroll.app`, and present the answer."""
