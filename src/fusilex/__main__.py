from fusilex.app import main

raise SystemExit(main())
