//! The tables, as the migrations make them.

diesel::table! {
    outings (id) {
        id -> Integer,
        trip_id -> Integer,
        car_id -> Nullable<Integer>,
        name -> Text,
        currency -> Text,
        plan -> Text,
        begun_at -> Text,
        is_over -> Bool,
    }
}

diesel::table! {
    outing_events (outing_id, position) {
        outing_id -> Integer,
        position -> Integer,
        event -> Text,
        line -> Text,
    }
}

diesel::table! {
    cars (id) {
        id -> Integer,
        name -> Text,
        usable_kwh -> Double,
        rated_range_km -> Nullable<Double>,
        charge_loss_percent -> Double,
        pack_voltage -> Nullable<Text>,
        boost -> Nullable<Text>,
        curve_id -> Nullable<Integer>,
        test_range_km -> Nullable<Double>,
        test_kmh -> Nullable<Double>,
        own_kwh_per_100km -> Nullable<Double>,
        distance_base -> Text,
        ac_phases -> Nullable<Integer>,
        ac_kw -> Nullable<Double>,
        ac_a -> Nullable<Double>,
        ac_loss_percent -> Nullable<Double>,
        mass_kg -> Nullable<Double>,
        drag_area_m2 -> Nullable<Double>,
        home_phases -> Nullable<Integer>,
        home_v -> Nullable<Double>,
        home_a -> Nullable<Double>,
        home_hours -> Nullable<Double>,
        home_limit_soc -> Nullable<Double>,
    }
}

diesel::table! {
    curves (id) {
        id -> Integer,
        car_id -> Integer,
        session_id -> Nullable<Integer>,
        name -> Text,
        points -> Text,
        measured_from_soc -> Nullable<Double>,
        measured_to_soc -> Nullable<Double>,
        created_at -> Text,
        explained -> Text,
        moved -> Text,
    }
}

diesel::table! {
    sessions (id) {
        id -> Integer,
        car_id -> Nullable<Integer>,
        name -> Text,
        source_name -> Text,
        source_text -> Text,
        usable_kwh -> Nullable<Double>,
        rated_range_km -> Nullable<Double>,
        meter -> Text,
        car -> Nullable<Text>,
        software -> Nullable<Text>,
        site_kw -> Nullable<Double>,
        site_a -> Nullable<Double>,
        preconditioned -> Nullable<Text>,
        start_note -> Nullable<Text>,
        other -> Text,
        created_at -> Text,
        ambient_c -> Nullable<Double>,
        battery_c -> Nullable<Double>,
        preconditioned_min -> Nullable<Double>,
        site_v -> Nullable<Double>,
        shared_cabinet -> Nullable<Bool>,
        car_on -> Nullable<Bool>,
        adapter -> Nullable<Text>,
        handshake_min -> Nullable<Double>,
        failed_attempts -> Nullable<Integer>,
        phases -> Nullable<Integer>,
        joined -> Nullable<Text>,
        forecasts -> Text,
        day -> Nullable<Text>,
        paid -> Nullable<Double>,
        began_min -> Nullable<Double>,
    }
}

// The columns of a session that its list reads. A table of more than 32 would double the time that Diesel takes to build.
diesel::table! {
    #[sql_name = "sessions"]
    session_lines (id) {
        id -> Integer,
        car_id -> Nullable<Integer>,
        name -> Text,
        created_at -> Text,
        reading_count -> Integer,
        lowest_soc -> Double,
        highest_soc -> Double,
        minutes -> Double,
        day -> Nullable<Text>,
    }
}

diesel::table! {
    readings (session_id, position) {
        session_id -> Integer,
        position -> Integer,
        elapsed_min -> Double,
        soc -> Nullable<Double>,
        power_kw -> Nullable<Double>,
        energy_kwh -> Nullable<Double>,
        voltage_v -> Nullable<Double>,
        current_a -> Nullable<Double>,
        battery_c -> Nullable<Double>,
        ambient_c -> Nullable<Double>,
        range_km -> Nullable<Double>,
        note -> Nullable<Text>,
        left_out -> Nullable<Text>,
    }
}

diesel::table! {
    trips (id) {
        id -> Integer,
        name -> Text,
        car_id -> Integer,
        currency -> Text,
        start_soc -> Double,
        min_soc -> Double,
        arrival_soc -> Double,
        max_soc -> Double,
        value_of_time_per_hour -> Nullable<Double>,
        road_kmh -> Double,
        outside_c -> Double,
        wind_kmh -> Double,
        wind_from_deg -> Double,
        headwind_kmh -> Double,
        wet -> Bool,
        load_kg -> Double,
        heating_kw -> Nullable<Double>,
        track -> Nullable<Text>,
        departure -> Nullable<Text>,
        time_zone -> Nullable<Text>,
        wishes -> Nullable<Text>,
        min_soc_on_way -> Nullable<Double>,
    }
}

diesel::table! {
    trip_segments (trip_id, position) {
        trip_id -> Integer,
        position -> Integer,
        km -> Double,
        kmh -> Nullable<Double>,
        kwh_per_100km -> Nullable<Double>,
        climb_m -> Double,
        descent_m -> Double,
        height_m -> Double,
        toward_deg -> Nullable<Double>,
        straight -> Nullable<Double>,
        outside_c -> Nullable<Double>,
        wind_kmh -> Nullable<Double>,
        wind_from_deg -> Nullable<Double>,
        wet -> Nullable<Bool>,
        load_kg -> Nullable<Double>,
        heating_kw -> Nullable<Double>,
    }
}

diesel::table! {
    trip_sites (trip_id, position) {
        trip_id -> Integer,
        position -> Integer,
        site -> Text,
        name -> Text,
        at_km -> Double,
        off_route_km -> Double,
        off_route_kmh -> Double,
        max_kw -> Double,
        max_a -> Nullable<Double>,
        overhead_min -> Double,
        per_kwh -> Double,
        per_min -> Double,
        per_session -> Double,
        tariff_id -> Nullable<Integer>,
        wait_min -> Double,
        stalls -> Nullable<Integer>,
        out_of_order -> Nullable<Integer>,
        cabinet_stalls -> Nullable<Integer>,
        opening_hours -> Nullable<Text>,
        connectors -> Text,
        facilities -> Nullable<Text>,
        note -> Nullable<Text>,
    }
}

diesel::table! {
    live_charges (id) {
        id -> Integer,
        car_id -> Nullable<Integer>,
        name -> Text,
        conditions -> Text,
        token -> Text,
        session_id -> Nullable<Integer>,
        created_at -> Text,
    }
}

diesel::table! {
    live_events (charge_id, position) {
        charge_id -> Integer,
        position -> Integer,
        event -> Text,
        line -> Text,
    }
}

diesel::table! {
    column_matchings (signature) {
        signature -> Text,
        targets -> Text,
        time_unit -> Text,
    }
}

diesel::table! {
    drives (id) {
        id -> Integer,
        car_id -> Integer,
        day -> Nullable<Text>,
        km -> Double,
        minutes -> Nullable<Double>,
        kwh -> Nullable<Double>,
        soc_before -> Nullable<Double>,
        soc_after -> Nullable<Double>,
        outside_c -> Nullable<Double>,
        load_kg -> Nullable<Double>,
        headwind_kmh -> Nullable<Double>,
        climb_m -> Nullable<Double>,
        descent_m -> Nullable<Double>,
        guess_kwh_per_100km -> Nullable<Double>,
        heating_kw -> Nullable<Double>,
        note -> Nullable<Text>,
        left_out -> Nullable<Text>,
    }
}

diesel::table! {
    tariffs (id) {
        id -> Integer,
        name -> Text,
        currency -> Text,
        ocpi -> Text,
    }
}

diesel::table! {
    memberships (id) {
        id -> Integer,
        tariff_id -> Integer,
        name -> Text,
        monthly_fee -> Text,
        percent_off -> Nullable<Text>,
        own_tariff_id -> Nullable<Integer>,
    }
}

diesel::table! {
    settings (id) {
        id -> Integer,
        distance -> Text,
        consumption -> Text,
        temperature -> Text,
        clock -> Text,
        currency -> Text,
    }
}

diesel::table! {
    people (id) {
        id -> Integer,
        name -> Text,
        role -> Text,
        password -> Nullable<Text>,
        epoch -> Integer,
        code_hash -> Nullable<Text>,
        code_until -> Nullable<BigInt>,
    }
}

diesel::table! {
    settings_of_people (person_id) {
        person_id -> Integer,
        distance -> Text,
        consumption -> Text,
        temperature -> Text,
        clock -> Text,
        currency -> Text,
    }
}

diesel::table! {
    sign_ins (id) {
        id -> Text,
        data -> Text,
        until -> BigInt,
    }
}

diesel::table! {
    private_cars (car_id) {
        car_id -> Integer,
        person_id -> Integer,
    }
}

diesel::table! {
    private_trips (trip_id) {
        trip_id -> Integer,
        person_id -> Integer,
    }
}

diesel::table! {
    trip_links (id) {
        id -> Integer,
        trip_id -> Integer,
        token_hash -> Text,
        made_at -> Text,
    }
}
