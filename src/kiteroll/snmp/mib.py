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

IF_LAST_CHANGE: Oid = oid("1.3.6.1.2.1.2.2.1.9")
DOT1D_STP_TIME_SINCE_TOPOLOGY_CHANGE: Oid = oid("1.3.6.1.2.1.17.2.3.0")
DOT1D_STP_TOP_CHANGES: Oid = oid("1.3.6.1.2.1.17.2.4.0")
DOT1D_STP_PORT_STATE: Oid = oid("1.3.6.1.2.1.17.2.15.1.3")
DOT1D_TP_LEARNED_ENTRY_DISCARDS: Oid = oid("1.3.6.1.2.1.17.4.1.0")
DOT1Q_VLAN_STATIC_EGRESS_PORTS: Oid = oid("1.3.6.1.2.1.17.7.1.4.3.1.2")
DOT1Q_VLAN_STATIC_UNTAGGED_PORTS: Oid = oid("1.3.6.1.2.1.17.7.1.4.3.1.4")

# EtherLike-MIB (RFC 3635), indexed by ifIndex
DOT3_STATS_DUPLEX_STATUS: Oid = oid("1.3.6.1.2.1.10.7.2.1.19")

# IEEE8023-LAG-MIB (IEEE 802.1AX), indexed by ifIndex
DOT3AD_AGG_PORT_PARTNER_SYSTEM: Oid = oid("1.2.840.10006.300.43.1.2.1.1.9")
DOT3AD_AGG_PORT_PARTNER_KEY: Oid = oid("1.2.840.10006.300.43.1.2.1.1.11")
DOT3AD_AGG_PORT_ATTACHED: Oid = oid("1.2.840.10006.300.43.1.2.1.1.13")

# ENTITY-MIB (RFC 6933), indexed by entPhysicalIndex
ENT_PHYSICAL_CLASS: Oid = oid("1.3.6.1.2.1.47.1.1.1.1.5")
ENT_PHYSICAL_SOFTWARE_REV: Oid = oid("1.3.6.1.2.1.47.1.1.1.1.10")
ENT_PHYSICAL_SERIAL_NUM: Oid = oid("1.3.6.1.2.1.47.1.1.1.1.11")
ENT_PHYSICAL_MODEL_NAME: Oid = oid("1.3.6.1.2.1.47.1.1.1.1.13")

# LLDP-MIB (IEEE 802.1AB-2005): local ports by lldpLocPortNum; neighbours by time mark, local port, index
LLDP_LOC_PORT_ID_SUBTYPE: Oid = oid("1.0.8802.1.1.2.1.3.7.1.2")
LLDP_LOC_PORT_ID: Oid = oid("1.0.8802.1.1.2.1.3.7.1.3")
LLDP_REM_CHASSIS_ID_SUBTYPE: Oid = oid("1.0.8802.1.1.2.1.4.1.1.4")
LLDP_REM_CHASSIS_ID: Oid = oid("1.0.8802.1.1.2.1.4.1.1.5")
LLDP_REM_PORT_ID_SUBTYPE: Oid = oid("1.0.8802.1.1.2.1.4.1.1.6")
LLDP_REM_PORT_ID: Oid = oid("1.0.8802.1.1.2.1.4.1.1.7")
LLDP_REM_PORT_DESC: Oid = oid("1.0.8802.1.1.2.1.4.1.1.8")
LLDP_REM_SYS_NAME: Oid = oid("1.0.8802.1.1.2.1.4.1.1.9")
LLDP_REM_SYS_DESC: Oid = oid("1.0.8802.1.1.2.1.4.1.1.10")
LLDP_REM_SYS_CAP_ENABLED: Oid = oid("1.0.8802.1.1.2.1.4.1.1.12")
LLDP_REM_MAN_ADDR_IF_SUBTYPE: Oid = oid("1.0.8802.1.1.2.1.4.2.1.3")

# IP-MIB (RFC 4293): neighbour caches, by ifIndex and address
IP_NET_TO_MEDIA_PHYS_ADDRESS: Oid = oid("1.3.6.1.2.1.4.22.1.2")
IP_NET_TO_PHYSICAL_PHYS_ADDRESS: Oid = oid("1.3.6.1.2.1.4.35.1.4")
