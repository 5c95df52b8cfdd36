database: LINGER_S=1.5 scripts/stay .venv/bin/python -m mintseed.server.database run
web: scripts/stay .venv/bin/python -m uvicorn mintseed.server.asgi:application --host $MINTSEED_HOST --port $MINTSEED_PORT --no-access-log --log-level warning --lifespan off --timeout-graceful-shutdown 2 $MINTSEED_TLS_OPTIONS
cards: scripts/stay .venv/bin/python manage.py db_worker --queue-name cards-$MINTSEED_BENCH_NAME --interval 0.2 --no-startup-delay
images: scripts/stay .venv/bin/python manage.py db_worker --queue-name images-$MINTSEED_BENCH_NAME --interval 0.2 --no-startup-delay
agent: scripts/stay .venv/bin/python manage.py bench_agent
boards: scripts/stay .venv/bin/python manage.py standin_bench
