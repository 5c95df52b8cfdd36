database: LINGER_S=1.5 scripts/stay .venv/bin/python -m mintseed.server.database run
web: scripts/stay .venv/bin/python -m uvicorn mintseed.server.asgi:application --host $MINTSEED_HOST --port $MINTSEED_PORT --no-access-log --log-level warning --lifespan off --timeout-graceful-shutdown 2
worker: scripts/stay .venv/bin/python manage.py db_worker --interval 0.2 --no-startup-delay
watch: scripts/stay .venv/bin/python manage.py watch
bench: scripts/stay .venv/bin/python manage.py standin_bench
