"""Which objects and tables a reading asks a switch for, and how often."""

from kiteroll.snmp import mib

SCALARS = (
    mib.SYS_DESCR,
    mib.SYS_UP_TIME,
    mib.SYS_CONTACT,
    mib.SYS_NAME,
    mib.SYS_LOCATION,
    mib.DOT1D_BASE_BRIDGE_ADDRESS,
    mib.DOT1D_TP_AGING_TIME,
    mib.DOT1D_TP_LEARNED_ENTRY_DISCARDS,
    mib.DOT1D_STP_TIME_SINCE_TOPOLOGY_CHANGE,
    mib.DOT1D_STP_TOP_CHANGES,
)
LINKS = {"ifTable": (mib.IF_ADMIN_STATUS, mib.IF_OPER_STATUS, mib.IF_LAST_CHANGE)}
"""Read first: shows whether what is remembered of the switch still holds."""
INTERFACES = {
    "ifTable": (mib.IF_DESCR, mib.IF_TYPE, mib.IF_PHYS_ADDRESS),
    "ifXTable": (mib.IF_NAME,),
}
"""What the interfaces are, which changes when a switch restarts or gets other interfaces."""
NEEDED = {
    "ifXTable": (mib.IF_HIGH_SPEED, mib.IF_ALIAS),
    "dot1dBasePortTable": (mib.DOT1D_BASE_PORT_IF_INDEX,),
    "dot1qPortVlanTable": (mib.DOT1Q_PVID,),
    "dot1qVlanCurrentTable": (mib.DOT1Q_VLAN_FDB_ID,),
}
"""What else it takes to place addresses; read each time."""
VLAN_TABLE = "dot1qTpFdbTable"
OLD_TABLE = "dot1dTpFdbTable"
ADDRESS_TABLES = {
    VLAN_TABLE: (mib.DOT1Q_TP_FDB_PORT, mib.DOT1Q_TP_FDB_STATUS),
    OLD_TABLE: (mib.DOT1D_TP_FDB_PORT, mib.DOT1D_TP_FDB_STATUS),
}
"""The MAC address table, with its VLANs and without: the columns for the port and the status of a row."""
VIEW_TABLES = {
    "dot1dBasePortTable": (mib.DOT1D_BASE_PORT_IF_INDEX,),
    OLD_TABLE: ADDRESS_TABLES[OLD_TABLE],
}
"""What is read in the view of one VLAN."""
NEIGHBOUR_CACHES = {
    "ipNetToPhysicalTable": (mib.IP_NET_TO_PHYSICAL_PHYS_ADDRESS,),
    "ipNetToMediaTable": (mib.IP_NET_TO_MEDIA_PHYS_ADDRESS,),
}
"""Addresses of IP at MAC addresses, which routers and some switches have."""
FURTHER = {
    "dot1qVlanStaticTable": (
        mib.DOT1Q_VLAN_STATIC_NAME,
        mib.DOT1Q_VLAN_STATIC_EGRESS_PORTS,
        mib.DOT1Q_VLAN_STATIC_UNTAGGED_PORTS,
    ),
    "dot1dStpPortTable": (mib.DOT1D_STP_PORT_STATE,),
    "dot3StatsTable": (mib.DOT3_STATS_DUPLEX_STATUS,),
    "dot3adAggPortTable": (
        mib.DOT3AD_AGG_PORT_PARTNER_SYSTEM,
        mib.DOT3AD_AGG_PORT_PARTNER_KEY,
        mib.DOT3AD_AGG_PORT_ATTACHED,
    ),
    "entPhysicalTable": (
        mib.ENT_PHYSICAL_CLASS,
        mib.ENT_PHYSICAL_SOFTWARE_REV,
        mib.ENT_PHYSICAL_SERIAL_NUM,
        mib.ENT_PHYSICAL_MODEL_NAME,
    ),
    "lldpLocPortTable": (mib.LLDP_LOC_PORT_ID_SUBTYPE, mib.LLDP_LOC_PORT_ID),
    "lldpRemTable": (
        mib.LLDP_REM_CHASSIS_ID_SUBTYPE,
        mib.LLDP_REM_CHASSIS_ID,
        mib.LLDP_REM_PORT_ID_SUBTYPE,
        mib.LLDP_REM_PORT_ID,
        mib.LLDP_REM_PORT_DESC,
        mib.LLDP_REM_SYS_NAME,
        mib.LLDP_REM_SYS_DESC,
        mib.LLDP_REM_SYS_CAP_ENABLED,
    ),
    "lldpRemManAddrTable": (mib.LLDP_REM_MAN_ADDR_IF_SUBTYPE,),
}
"""Tables that say more of the switch; a reading without them is complete all the same."""
TIME_FILTERED = frozenset({"dot1qVlanCurrentTable", "lldpRemTable", "lldpRemManAddrTable"})

GROWING = frozenset({*ADDRESS_TABLES, *NEIGHBOUR_CACHES})
"""Tables with a row for every endpoint."""
