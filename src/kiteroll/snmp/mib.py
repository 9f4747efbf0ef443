"""Object identifiers that are read, by their names in the standard MIB modules."""

from kiteroll.snmp.ber import Oid, oid

# SNMPv2-MIB (RFC 3418), system group: scalars
SYS_DESCR: Oid = oid("1.3.6.1.2.1.1.1.0")
SYS_OBJECT_ID: Oid = oid("1.3.6.1.2.1.1.2.0")
SYS_UP_TIME: Oid = oid("1.3.6.1.2.1.1.3.0")
SYS_CONTACT: Oid = oid("1.3.6.1.2.1.1.4.0")
SYS_NAME: Oid = oid("1.3.6.1.2.1.1.5.0")
SYS_LOCATION: Oid = oid("1.3.6.1.2.1.1.6.0")
SYS_SERVICES: Oid = oid("1.3.6.1.2.1.1.7.0")

# IF-MIB (RFC 2863): columns, indexed by ifIndex
IF_NUMBER: Oid = oid("1.3.6.1.2.1.2.1.0")
IF_INDEX: Oid = oid("1.3.6.1.2.1.2.2.1.1")
IF_DESCR: Oid = oid("1.3.6.1.2.1.2.2.1.2")
IF_TYPE: Oid = oid("1.3.6.1.2.1.2.2.1.3")
IF_SPEED: Oid = oid("1.3.6.1.2.1.2.2.1.5")
IF_PHYS_ADDRESS: Oid = oid("1.3.6.1.2.1.2.2.1.6")
IF_ADMIN_STATUS: Oid = oid("1.3.6.1.2.1.2.2.1.7")
IF_OPER_STATUS: Oid = oid("1.3.6.1.2.1.2.2.1.8")
IF_NAME: Oid = oid("1.3.6.1.2.1.31.1.1.1.1")
IF_HIGH_SPEED: Oid = oid("1.3.6.1.2.1.31.1.1.1.15")
IF_ALIAS: Oid = oid("1.3.6.1.2.1.31.1.1.1.18")

# BRIDGE-MIB (RFC 4188)
DOT1D_BASE_BRIDGE_ADDRESS: Oid = oid("1.3.6.1.2.1.17.1.1.0")
DOT1D_BASE_NUM_PORTS: Oid = oid("1.3.6.1.2.1.17.1.2.0")
DOT1D_BASE_TYPE: Oid = oid("1.3.6.1.2.1.17.1.3.0")
DOT1D_BASE_PORT_IF_INDEX: Oid = oid("1.3.6.1.2.1.17.1.4.1.2")
DOT1D_TP_AGING_TIME: Oid = oid("1.3.6.1.2.1.17.4.2.0")
DOT1D_TP_FDB_ADDRESS: Oid = oid("1.3.6.1.2.1.17.4.3.1.1")
DOT1D_TP_FDB_PORT: Oid = oid("1.3.6.1.2.1.17.4.3.1.2")
DOT1D_TP_FDB_STATUS: Oid = oid("1.3.6.1.2.1.17.4.3.1.3")

# Q-BRIDGE-MIB (RFC 4363)
DOT1Q_TP_FDB_PORT: Oid = oid("1.3.6.1.2.1.17.7.1.2.2.1.2")
DOT1Q_TP_FDB_STATUS: Oid = oid("1.3.6.1.2.1.17.7.1.2.2.1.3")
DOT1Q_VLAN_FDB_ID: Oid = oid("1.3.6.1.2.1.17.7.1.4.2.1.3")
DOT1Q_VLAN_STATIC_NAME: Oid = oid("1.3.6.1.2.1.17.7.1.4.3.1.1")
DOT1Q_PVID: Oid = oid("1.3.6.1.2.1.17.7.1.4.5.1.1")
