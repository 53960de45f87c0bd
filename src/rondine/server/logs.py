"""Structured logs: one JSON object a line on stderr, exceptions included."""

import structlog

FOREIGN: list[structlog.types.Processor] = [
    structlog.stdlib.add_log_level,
    structlog.stdlib.add_logger_name,
    structlog.processors.TimeStamper(fmt="iso", utc=True),
]
CHAIN: list[structlog.types.Processor] = [
    structlog.stdlib.ProcessorFormatter.remove_processors_meta,
    structlog.processors.format_exc_info,
    structlog.processors.JSONRenderer(),
]

structlog.configure(
    processors=[*FOREIGN, structlog.stdlib.ProcessorFormatter.wrap_for_formatter],
    logger_factory=structlog.stdlib.LoggerFactory(),
    wrapper_class=structlog.stdlib.BoundLogger,
    cache_logger_on_first_use=True,
)
